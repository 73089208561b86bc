; {name}: the lamp of Skerrow Rock shows a group of flashes, and the serial line tells each.

        cpu ez80

lamps   equ 10h                 ; port: a lamp on each bit
data    equ 8100h               ; port: the character to be sent
format  equ 8103h               ; port: how it is sent
status  equ 8105h               ; port: what the serial line is at
room    equ 5                   ; status: a character can be taken

        org 0                   ; a reset leads here, in Z80 mode
        jp.lil start

        org 10000h
        mode adl
start:  ld sp, 80000h
        ld bc, format           ; eight bits
        ld a, 3
        out (bc), a
        ld hl, flashes          ; how many to a group
        ld d, (hl)
        cycle
        ld a, 0FFh              ; light
        out0 (lamps), a
        ld hl, flash
        call print
        xor a                   ; dark
        out0 (lamps), a
        dec d
        endcycle nz
        ld hl, end
        call print
        halt

print:  ld a, (hl)              ; the text at HL, which a zero ends
        or a
        ret z
        push af
        ld bc, status
        cycle
        in a, (bc)
        bit room, a
        endcycle z
        pop af
        ld bc, data
        out (bc), a
        inc hl
        jr print

flash:  text zero, "flash "
end:    text zero, "\r\n"
flashes: db 3
