; The oil book of Skerrow Rock on the console of the trainer: what is left in each tank, and all of it, with the routines that
; travel along.

        cpu 8085
        org 4000h

send    equ 40h                 ; firmware: sends the character in C

start:  lxi h, title
        call print.zero
        call print.newline
        lxi d, tanks
        lxi h, 0                ; all of it
        mvi b, '1'
again:  mov a, b
        call put_character
        mvi a, ' '
        call put_character
        ldax d
        call print.decimal
        call print.newline
        ldax d                  ; HL + A
        add l
        mov l, a
        jnc .kept
        inr h
.kept:  inx d
        inr b
        mov a, b
        cpi '1' + count
        jnz again
        push h
        lxi h, all
        call print.zero
        pop h
        call print.decimal_word
        lxi h, litres
        call print.zero
        hlt

put_character:
        push b
        mov c, a
        call send
        pop b
        ret

        include "routines/8080/print.asm"

title:  text zero, "tank and litres"
all:    text zero, "in all "
litres: text zero, " litres", 13, 10
count   equ 4
tanks:  db 180, 95, 200, 12
