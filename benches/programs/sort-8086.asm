; Sorts 250 bytes that stand the other way round, by exchanging neighbours, with an early end.
        cpu 8086
        org 100h
start:  mov bx, data
        mov cx, 250
fill:   mov [bx], cl
        inc bx
        loop fill
again:  mov si, data
        mov cx, 249
        xor dl, dl              ; nothing was exchanged
pair:   mov al, [si]
        mov ah, [si+1]
        cmp al, ah
        jbe right
        mov [si], ah
        mov [si+1], al
        mov dl, 1
right:  inc si
        loop pair
        or dl, dl
        jnz again
        hlt
        org 2000h
data:   ds 250
