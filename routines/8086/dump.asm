; Carried routines for the 8086: the registers and memory, for looking at a program from inside.
;
; Needs print.asm.

        space dump

; All registers in hex and the flags by their letters, in three lines. Changes nothing.
registers: pushf
        push ds
        push es
        push ss
        push cs
        push bp
        push di
        push si
        push dx
        push cx
        push bx
        push ax
        mov bp, sp
        mov si, .names
.next:  call .name
        mov ax, [bp]
        add bp, 2
        call print.hex_word
        mov al, ' '
        call print.character
        cmp byte cs:[si], 0     ; after the fourth and the eighth a new line
        jne .next
        inc si
        call print.newline
        cmp byte cs:[si], 0
        jne .next
        mov si, .sp
        call .name
        lea ax, [bp+4]          ; above the flags and the address to return to
        call print.hex_word
        mov al, ' '
        call print.character
        mov dx, [bp]
        mov cx, 16
        mov si, .flags
.flag:  mov al, cs:[si]
        inc si
        cmp al, ' '             ; a bit that is no flag
        je .none
        rol dx, 1
        jc .put
        mov al, '-'
.put:   call print.character
        jmp .end
.none:  rol dx, 1
.end:   loop .flag
        call print.newline
        pop ax
        pop bx
        pop cx
        pop dx
        pop si
        pop di
        pop bp
        add sp, 4               ; CS and SS are what they are
        pop es
        pop ds
        popf
        ret

; The next name of the list, and a sign.
.name:  mov al, cs:[si]
        inc si
        call print.character
        mov al, cs:[si]
        inc si
        call print.character
        mov al, '='
        jmp print.character

.names: db "AXBXCXDX", 0, "SIDIBPCS", 0, "SSESDS", 0, 0
.sp:    db "SP"
.flags: db "    ODITSZ A P C"

; CX bytes from DS:SI on, sixteen to a line with their address. Changes CX, SI.
memory: push ax
        push dx
.line:  jcxz .end
        mov ax, ds
        call print.hex_word
        mov al, ':'
        call print.character
        mov ax, si
        call print.hex_word
        mov dx, 16
.byte:  mov al, ' '
        call print.character
        lodsb
        call print.hex
        dec cx
        jz .row
        dec dx
        jnz .byte
.row:   call print.newline
        jmp .line
.end:   pop dx
        pop ax
        ret

        endspace
