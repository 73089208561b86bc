; {name}: passages of boats at Skerrow Rock, added up.

        cpu {processor}

        org 100h
start:  mov si, passages
        mov cx, days
        xor al, al
        cycle
        add al, [si]
        inc si
        dec cx
        endcycle nz
        mov [total], al
        hlt

passages: db 3, 0, 5, 2, 1, 4, 6
days    equ $ - passages
total:  ds 1
