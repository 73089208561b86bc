; night-log: the keeper's log of a night goes out through the serial line of dunlin, character by character, each as soon as the status
; says that the line takes one. The ports have addresses of 16 bits. The log begins anew until switch 0 is on.

        cpu ez80

data    equ 8100h               ; ports: the character,
latch   equ 8100h               ; or the low byte of the divisor
latch2  equ 8101h               ; and its high byte, while
format  equ 8103h               ; bit 7 of the format is 1
status  equ 8105h
room    equ 5                   ; status: the line takes a character
lamps   equ 10h
switches equ 11h

        org 0                   ; a reset leads here, in Z80 mode
        jp.lil start

        org 10000h
        mode adl
start:  ld sp, stack
        call open
        cycle
        ld hl, log
        call print
        in0 a, (switches)
        bit 0, a
        endcycle z
        halt

open:   ld bc, format           ; 38400 baud, eight bits
        ld a, 83h
        out (bc), a
        ld bc, latch
        ld a, 3
        out (bc), a
        ld bc, latch2
        xor a
        out (bc), a
        ld bc, format
        ld a, 03h
        out (bc), a
        ret

print:  ld a, (hl)              ; the text at HL, which a zero ends
        or a
        ret z
        call put
        inc hl
        jr print

put:    ld e, a                 ; the character in A
        out0 (lamps), a
        ld bc, status
        cycle
        in a, (bc)
        bit room, a
        endcycle z
        ld bc, data
        out (bc), e
        ret

log:    db "Skerrow Rock, the night of the gale\r\n"
        db "21:40 wind north-west 7, lamp lit\r\n"
        db "00:15 wind 9, spray over the gallery\r\n"
        db "02:50 oil at 38, wick trimmed\r\n"
        db "05:30 wind 6, a boat made the harbour\r\n", 0

        ds 200h
stack:
