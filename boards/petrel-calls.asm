; The calls of programs, interrupt 21h and those about it. What has to do with the console is done here by the boot services; all else the
; machine does, when the service link hands it over, and sets registers and flags of the caller.

; Cells of the calls, in segment 0.
second_half equ 504h            ; the second byte of a key without a character
line_left equ 506h              ; of a line that is being read as a file: what is left of it, and where
line_at equ 508h
line    equ 50Ah                ; how many it takes, how many came, the characters

end_program: out link_end, al
        iret

; A program stays: DX is where its last byte is.
stay:   add dx, 15
        mov cl, 4
        shr dx, cl
        mov ax, 3100h
        out link_call, al
        iret

broken: mov ax, 4C00h
        out link_call, al
        iret

critical: mov al, 3             ; the call fails
        iret

; The character AL on the console.
show:   push ax
        push bx
        mov ah, 0Eh
        xor bx, bx
        int 10h
        pop bx
        pop ax
        iret

program_call: sti
        cld
        cmp ah, 0Ch
        ja .hand_over
        cmp ah, 1
        jb .hand_over
        cmp ah, 3
        jb .console
        cmp ah, 6
        jae .console
        cmp ah, 5
        jae .hand_over
        jmp serial_call
.hand_over: clc
        out link_call, al
        jnc .done
        jmp handle_call         ; the console as a file is ours again
.done:  iret
.console: push bp
        push es
        push ds
        push di
        push si
        push dx
        push cx
        push bx
        push ax
        mov bp, sp
        mov bl, ah
.again: xor bh, bh
        add bx, bx
        call word ptr cs:[bx + console_calls]
        pop ax
        pop bx
        pop cx
        pop dx
        pop si
        pop di
        pop ds
        pop es
        pop bp
        iret

; Where the caller's flags are.
in_flags equ 22

console_calls:
        dw .none, call_01, call_02, .none, .none, .none, call_06, call_07, call_08, call_09, call_0a, call_0b, call_0c
.none:  ret

; AL = the character that is typed next; 0 where the key has none, and its number comes the next time.
next_key: push ds
        push bx
        xor bx, bx
        mov ds, bx
        mov al, [second_half]
        mov [second_half], bl
        or al, al
        jnz .end
        mov ah, 0
        int 16h
        or al, al
        jnz .end
        mov [second_half], ah
.end:   pop bx
        pop ds
        ret

; The same, and control C breaks.
checked_key: call next_key
        cmp al, 3
        jne .end
        call show_control
        int 23h
        jmp checked_key
.end:   ret

; A sign before the letter of a character below a blank.
show_control: push ax
        mov al, '^'
        int 29h
        pop ax
        add al, '@'
        int 29h
        jmp new_line

new_line: mov al, 13
        int 29h
        mov al, 10
        int 29h
        ret

; Zero where no key waits.
key_waits: push ds
        xor ax, ax
        mov ds, ax
        cmp byte [second_half], 0
        pop ds
        jne .end
        mov ah, 1
        int 16h
.end:   ret

; The character AL, tabs up to the next eighth column.
out_character: cmp al, 9
        je .tab
        int 29h
        ret
.tab:   mov al, ' '
        int 29h
        mov ah, 3
        mov bh, 0
        int 10h
        test dl, 7
        jnz .tab
        ret

call_01: call checked_key
        mov [bp + in_ax], al
        or al, al
        jz .end
        call out_character
.end:   ret

call_02: mov al, dl
        jmp out_character

call_06: cmp dl, 0FFh
        jne call_02
        or word [bp + in_flags], 40h
        mov byte [bp + in_ax], 0
        call key_waits
        jz .end
        and word [bp + in_flags], 0FFBFh
        call next_key
        mov [bp + in_ax], al
.end:   ret

call_07: call next_key
        mov [bp + in_ax], al
        ret

call_08: call checked_key
        mov [bp + in_ax], al
        ret

; The text at DS:DX up to $.
call_09: mov si, dx
.next:  lodsb
        cmp al, '$'
        je .end
        call out_character
        jmp .next
.end:   mov byte [bp + in_ax], '$'
        ret

; A line into the buffer at DS:DX.
call_0a: mov si, dx
read_line: mov cl, [si]
        xor ch, ch
        mov di, 0               ; characters so far
        jcxz .end
.next:  push si
        push di
        push cx
        call checked_key
        pop cx
        pop di
        pop si
        cmp al, 13
        je .enter
        cmp al, 8
        je .back
        cmp al, 27
        je .all
        or al, al
        jz .second
        mov bx, di
        inc bx
        cmp bx, cx              ; the last place is for the end of the line
        jae .full
        mov [si + bx + 1], al
        mov di, bx
        cmp al, ' '
        jae .seen
        cmp al, 9
        je .seen
        push ax
        mov al, '^'
        int 29h
        pop ax
        add al, '@'
.seen:  call out_character
        jmp .next
.full:  mov al, 7
        int 29h
        jmp .next
.second: call next_key
        jmp .next
.back:  or di, di
        jz .next
        dec di
        mov bx, di
        mov al, [si + bx + 2]
        call rub
        jmp .next
.all:   mov al, '\\'
        int 29h
        call new_line
        xor di, di
        jmp .next
.enter: mov bx, di
        mov byte [si + bx + 2], 13
        mov al, 13
        int 29h
.end:   mov ax, di
        mov [si + 1], al
        ret

; The character AL goes from the screen.
rub:    cmp al, ' '
        jae .one
        call .one
.one:   push ax
        mov al, 8
        int 29h
        mov al, ' '
        int 29h
        mov al, 8
        int 29h
        pop ax
        ret

call_0b: mov byte [bp + in_ax], 0
        call key_waits
        jz .end
        mov byte [bp + in_ax], 0FFh
.end:   ret

; What waits is dropped, and the call in AL is done.
call_0c: call key_waits
        jz .empty
        call next_key
        jmp call_0c
.empty: mov ax, [bp + in_ax]
        mov bl, al
        cmp al, 1
        je .again
        cmp al, 6
        jb .end
        cmp al, 0Ah
        ja .end
        cmp al, 9
        je .end
.again: xor bh, bh
        add bx, bx
        mov dx, [bp + in_dx]
        call word ptr cs:[bx + console_calls]
.end:   ret

; Calls 3 and 4: a character of the serial line.
serial_call: push dx
        push bx
        mov bl, al
        mov bh, ah
        xor dx, dx
        cmp ah, 4
        je .send
.again: mov ah, 2
        int 14h
        test ah, 80h
        jnz .again
        mov ah, bh
        pop bx
        pop dx
        iret
.send:  pop ax
        pop dx
        push dx
        push ax
        mov al, dl
        xor dx, dx
        mov ah, 1
        int 14h
        mov ax, bx
        pop bx
        pop dx
        iret

; Calls 3Fh and 40h of the console: CX characters at DS:DX; AX is how many there were.
handle_call: cmp ah, 40h
        je .write
        push es
        push di
        push si
        push bx
        push cx
        push dx
        push ds
        xor bx, bx
        mov ds, bx
        cmp [line_left], bx
        jne .rest
        mov byte [line], 126
        mov si, line
        call read_line
        mov al, 10
        int 29h
        mov bl, [line + 1]
        xor bh, bh
        mov word [bx + line + 2], 0A0Dh
        add bx, 2
        mov [line_left], bx
        mov word [line_at], line + 2
.rest:  pop es                  ; the caller's segment
        push es
        mov bp, sp
        mov di, dx
        mov cx, [line_left]
        pop ds
        pop dx
        pop ax                  ; how many it takes
        push ax
        push dx
        push ds
        xor bx, bx
        mov ds, bx
        cmp cx, ax
        jbe .fits
        mov cx, ax
.fits:  mov si, [line_at]
        mov ax, cx
        sub [line_left], cx
        add [line_at], cx
        rep movsb
        pop ds
        pop dx
        pop cx
        pop bx
        pop si
        pop di
        pop es
        jmp .done
.write: push si
        push cx
        push bx
        mov si, dx
        jcxz .written
.next:  lodsb
        call out_character
        loop .next
.written: pop bx
        pop cx
        pop si
        mov ax, cx
.done:  push bp
        mov bp, sp
        and word [bp + 6], 0FFFEh
        pop bp
        iret
