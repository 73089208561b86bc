; Skerrow Rock, the horn by a key: a digit is typed, and the horn sounds so often. A COM program with boot services and disk services.

        cpu 8086
        image com, "horn-key.com"

        org 100h
start:  mov dx, question
        mov ah, 9
        int 21h
        mov ah, 1               ; a key, which is seen
        int 21h
        sub al, '0'
        jb wrong
        cmp al, 9
        ja wrong
        mov cl, al
        xor ch, ch
        mov dx, next_line
        mov ah, 9
        int 21h
        jcxz done               ; LOOP with 0 would go round 65536 times
        cycle
        mov dx, blast
        mov ah, 9
        int 21h
        endcycle loop
done:   mov ax, 4C00h
        int 21h

wrong:  mov dx, no_digit
        mov ah, 9
        int 21h
        mov ax, 4C01h
        int 21h

question: db "How many blasts? $"
next_line: db 13, 10, "$"
blast:  db 7, "horn! $"          ; 7 sounds
no_digit: db 13, 10, "That is no digit.", 13, 10, "$"
