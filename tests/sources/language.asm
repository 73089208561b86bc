; Every notation, operator and directive of the core language once.
        cpu 8085
limit   equ 10
        org 0100h
first:  db 0FFh, 0xFE, $FD, 0b11, 101b, %110, 0o17, 17o, 'A', 1_0
        db "text", 0, 'single quotes too'
        db "tab\tquote\"end\n\x41\\", 'B' + 1
        dw first, second, -1, 1234h
        dd 12345678h, -2
        ds 3
        ds 2, 0EEh
        align 8, 0AAh
second: db $ & 0FFh, $ >> 8, high second, low second
        db 1 + 2 * 3, (1 + 2) * 3, 7 / 2, -7 / 2, 7 % 3, -7 % 3
        db 1 << 3, 256 >> 4, 5 & 3, 5 | 3, 5 ^ 3, ~5 & 0FFh
        db 1 < 2, 2 <= 2, 1 > 2, 2 >= 3, 1 == 1, 1 != 1
        db !0, !5, 1 && 2, 0 && 1, 0 || 0, 0 || 4, -(-3), +3
        db defined(limit), defined(nothing), later - first
count   let 1
        db count
count   let count + 1
        db count
        if count == 2
        db 22h
        if limit > 100
        db 1
        else
        db 2
        endif
        else
        db 3
        endif
outer:
.loop:  dcr a
        jnz .loop
another: nop
.loop:  jmp .loop
        jmp outer.loop
        MVI A, LIMIT2
LIMIT2  equ limit * 2
later:  mov b, m
        mov m, a
        rst 3
        pad 180h, 76h
        entry another
