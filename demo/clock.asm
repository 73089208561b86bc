; clock: a clock that runs by interrupts in mode 2. Channel 0 of curlew's timer chip divides the processor's clock by 256 and by 144: a
; hundred interrupts a second, each through the table at I. The program counts seconds and shows them; it ends at ten.

        cpu z80

timer   equ 28h                 ; the timer chip's channel 0
print   equ 0E003h              ; monitor: prints A
print_byte equ 0E00Fh           ; monitor: prints A as two digits
last    equ 10h                 ; ten seconds, in decimal digits

        org 100h
start:  ld sp, 0D000h
        ld a, high vectors
        ld i, a
        im 2
        ld a, low vectors       ; the chip sends this, and which of its channels it is
        out (timer), a
        ld a, 10100101b         ; interrupts, timer, divided by 256, a time constant follows
        out (timer), a
        ld a, 144
        out (timer), a
        ei
.wait:  halt                    ; until something has happened
        ld a, (seconds)
        ld hl, shown
        cp (hl)
        jr z, .wait
        ld (hl), a
        call print_byte
        ld a, ' '
        call print
        ld a, (seconds)
        cp last
        jr nz, .wait
        di
        halt

; A hundredth of a second is over.
tick:   push af
        ld a, (hundredths)
        inc a
        cp 100
        jr nz, .same
        ld a, (seconds)
        add a, 1
        daa
        ld (seconds), a
        xor a
.same:  ld (hundredths), a
        pop af
        ei
        reti

hundredths: db 0
seconds: db 0
shown:  db 0

        align 8
vectors: dw tick, tick, tick, tick
