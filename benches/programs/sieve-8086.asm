; Primes below 8192 by striking out multiples; 1028 of them with 1 left out. The count ends in `found`.
        cpu 8086
size    equ 8192
        org 100h
start:  mov di, flags
        mov cx, size
        mov al, 1
        rep stosb
        mov bx, 2               ; the number
        xor dx, dx              ; how many
next:   cmp byte ptr [bx+flags], 0
        je skip
        inc dx
        mov si, bx
        add si, bx              ; strike out from twice the number on
strike: cmp si, size
        jae skip
        mov byte ptr [si+flags], 0
        add si, bx
        jmp strike
skip:   inc bx
        cmp bx, size
        jb next
        mov [found], dx
        hlt
found:  ds 2
        org 2000h
flags:  ds size
