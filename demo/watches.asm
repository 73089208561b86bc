; Skerrow Rock, the rota: in how many ways can so many keepers be put on as many watches, and how many watches do they
; stand together if the first stands one, the second two, and so on? LOOP counts CX down.

        cpu 8086
        image com, "watches.com"

        org 100h
start:  mov cx, [keepers]
        mov ax, 1
        xor bx, bx
again:  mul cx                  ; the product, the low half in AX
        add bx, cx
        loop again
        mov [ways], ax
        mov [sum], bx
        mov si, ways_text
        call print.zero
        mov ax, [ways]
        call print.decimal_word
        mov si, hex_text
        call print.zero
        mov ax, [ways]
        call print.hex_word
        call print.newline
        mov si, sum_text
        call print.zero
        mov ax, [sum]
        call print.decimal_word
        call print.newline
        mov ax, 4C00h
        int 21h

keepers: dw 5
ways:   dw 0
sum:    dw 0
ways_text: db "ways to put them on watch: ", 0
hex_text: db ", hex ", 0
sum_text: db "watches they stand: ", 0

        include "routines/8086/print.asm"
