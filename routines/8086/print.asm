; Carried routines for the 8086: texts of every kind of ending, numbers of 8, 16 and 32 bits, a new line, a number that is typed.
;
; They work by disk services, interrupt 21h, or, where the symbol `boot_services` is defined, by boot services alone.
; Include this after the program; call print.zero and its like. DS leads to the texts. Flags are changed by all of them.

        space print

; The character in AL. Changes nothing.
character: push ax
        push bx
        push dx
        if defined(boot_services)
        mov ah, 0Eh
        mov bx, 7
        int 10h
        else
        mov dl, al
        mov ah, 2
        int 21h
        endif
        pop dx
        pop bx
        pop ax
        ret

; The next key, seen on the screen, in AL.
key:    push bx
        mov bh, ah
        if defined(boot_services)
        mov ah, 0
        int 16h
        call character
        else
        mov ah, 1
        int 21h
        endif
        mov ah, bh
        pop bx
        ret

; The text at SI up to a zero byte. Changes AL, SI.
zero:   lodsb
        or al, al
        jz .end
        call character
        jmp zero
.end:   ret

; The text at SI up to the character in AH. Changes AL, SI.
marker: lodsb
        cmp al, ah
        je .end
        call character
        jmp marker
.end:   ret

; The text at SI up to a byte of 0FFh. Changes AL, SI.
ff:     lodsb
        cmp al, 0FFh
        je .end
        call character
        jmp ff
.end:   ret

; The text at SI whose last character has bit 7 set. Changes AL, SI.
high_bit: lodsb
        push ax
        and al, 7Fh
        call character
        pop ax
        or al, al
        jns high_bit
        ret

; The text at SI whose first byte says how long it is. Changes AL, SI.
counted: push cx
        lodsb
        mov cl, al
        xor ch, ch
        jcxz .end
.next:  lodsb
        call character
        loop .next
.end:   pop cx
        ret

; AL as two hex digits. Changes nothing.
hex:    push ax
        push cx
        mov ah, al
        mov cl, 4
        shr al, cl
        call digit
        mov al, ah
        call digit
        pop cx
        pop ax
        ret

; The lower half of AL as a hex digit. Changes AL.
digit:  and al, 0Fh
        add al, 90h             ; 0 to 9 become 90h to 99h, A to F carry over 0
        daa
        adc al, 40h
        daa
        jmp character

; AX as four hex digits. Changes nothing.
hex_word: xchg al, ah
        call hex
        xchg al, ah
        jmp hex

; DX:AX as eight hex digits. Changes nothing.
hex_long: xchg ax, dx
        call hex_word
        xchg ax, dx
        jmp hex_word

; AL as a decimal number. Changes nothing.
decimal: push ax
        xor ah, ah
        call decimal_word
        pop ax
        ret

; AX as a decimal number. Changes nothing.
decimal_word: push dx
        xor dx, dx
        call decimal_long
        pop dx
        ret

; DX:AX as a decimal number. Changes nothing.
decimal_long: push ax
        push bx
        push cx
        push dx
        push si
        xor cx, cx              ; digits so far
        mov bx, 10
.digit: mov si, ax              ; the high half first, its rest goes with the low one
        mov ax, dx
        xor dx, dx
        div bx
        xchg ax, si
        div bx
        push dx                 ; the last digit
        inc cx
        mov dx, si
        mov si, ax
        or si, dx
        jnz .digit
.put:   pop ax
        add al, '0'
        call character
        loop .put
        pop si
        pop dx
        pop cx
        pop bx
        pop ax
        ret

; A new line. Changes nothing.
newline: push ax
        mov al, 13
        call character
        mov al, 10
        call character
        pop ax
        ret

; A decimal number that is typed, up to Enter, in AX; carry where there is none, or one above 65535. Changes nothing else.
read_number: push bx
        push cx
        push dx
        xor bx, bx              ; the number
        xor cx, cx              ; how many digits
.next:  call key
        cmp al, 13
        je .end
        cmp al, '0'
        jb .wrong
        cmp al, '9'
        ja .wrong
        sub al, '0'
        mov dl, al
        xor dh, dh
        push dx
        mov ax, 10
        mul bx
        pop bx
        jc .wrong               ; DX is not zero any more
        add bx, ax
        jc .wrong
        inc cx
        jmp .next
.wrong: mov cx, 8000h           ; what follows is read and not taken
        call key
        cmp al, 13
        jne .wrong
.end:   call newline
        mov ax, bx
        cmp cx, 1
        jb .none
        test cx, 8000h
        jz .good
.none:  stc
.good:  pop dx
        pop cx
        pop bx
        ret

        endspace
