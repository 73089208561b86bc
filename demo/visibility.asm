; Skerrow Rock, visibility: a reading has its cables (tenths of a mile) in the low seven bits, and bit 7 set where it
; was taken at night. Adds the night readings up: sixteen bits of sum, and how many there were.

        cpu 8085

night   equ 10000000b

        org 4000h
start:  lxi h, readings
        lda count
        mov c, a                ; readings left
        lxi d, 0                ; the sum
        mvi b, 0                ; night readings
        ora a
        jz done                 ; an empty log
next:   mov a, m
        ani night
        jz skip                 ; by day
        mov a, m
        ani ~night & 0FFh
        add e                   ; DE = DE + A
        mov e, a
        mvi a, 0
        adc d
        mov d, a
        inr b
skip:   inx h
        dcr c
        jnz next
done:   xchg
        shld sum
        mov a, b
        sta nights
        hlt

        org 4100h
sum:    ds 2
nights: ds 1
count:  db 8
readings:
        db 40, night | 12, 55, night | 9, night | 30, 61, night | 2, 70
