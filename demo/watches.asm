; Skerrow Rock, the rota: in how many ways can so many keepers be put on as many watches, and how many watches do they
; stand together if the first stands one, the second two, and so on? LOOP counts CX down.

        cpu 8086
        org 100h

start:  mov cx, [keepers]
        mov ax, 1
        xor bx, bx
again:  mul cx                  ; the product, the low half in AX
        add bx, cx
        loop again
        mov [ways], ax
        mov [sum], bx
        hlt

keepers: dw 5
ways:   ds 2
sum:    ds 2
