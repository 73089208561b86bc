; The CRC-32 of 2048 bytes that count up by sevens, the polynomial reflected; it ends in `crc`.
        cpu 8086
        org 100h
start:  mov si, data
        mov cx, 2048
        xor al, al
fill:   mov [si], al
        add al, 7
        inc si
        loop fill
        mov si, data
        mov ax, 0FFFFh          ; the low half
        mov dx, 0FFFFh          ; the high half
        mov di, 2048
byte_:  xor al, [si]
        mov cx, 8
bit:    shr dx, 1
        rcr ax, 1
        jnc even
        xor ax, 8320h
        xor dx, 0EDB8h
even:   loop bit
        inc si
        dec di
        jnz byte_
        not ax
        not dx
        mov [crc], ax
        mov [crc + 2], dx
        hlt
crc:    ds 4
        org 2000h
data:   ds 2048
