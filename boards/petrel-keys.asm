; The keyboard: its interrupt puts keys into the buffer, interrupt 16h takes them out.

right_shift equ 01h
left_shift equ 02h
control equ 04h
alternate equ 08h
scroll_lock equ 10h
number_lock equ 20h
capital_lock equ 40h

; Keys that change what others mean: their numbers, and their bits in the cell `shifts`.
shift_keys: db 36h, right_shift, 2Ah, left_shift, 1Dh, control, 38h, alternate, 0
lock_keys: db 46h, scroll_lock, 45h, number_lock, 3Ah, capital_lock, 0

; What the keys 1 to 39h make: alone, with shift, with control. 0 is nothing.
plain_keys:
        db 27, "1234567890-=", 8, 9, "qwertyuiop[]", 13, 0, "asdfghjkl;'`", 0, "\\zxcvbnm,./", 0, "*", 0, " "
shifted_keys:
        db 27, "!@#$%^&*()_+", 8, 0, "QWERTYUIOP{}", 13, 0, "ASDFGHJKL:\"~", 0, "|ZXCVBNM<>?", 0, 0, 0, " "
control_keys:
        db 27, 0, 0, 0, 0, 0, 30, 0, 0, 0, 0, 31, 0, 127, 0
        db 17, 23, 5, 18, 20, 25, 21, 9, 15, 16, 27, 29, 10, 0
        db 1, 19, 4, 6, 7, 8, 10, 11, 12, 0, 0, 0, 0, 28, 26, 24, 3, 22, 2, 14, 13, 0, 0, 0, 0, 0, 0, " "
; The keys 47h to 53h as digits, and their numbers with control.
pad_keys: db "789-456+1230."
pad_controls: db 77h, 0, 84h, 0, 73h, 0, 74h, 0, 75h, 0, 76h, 0, 0

key_struck: push ax
        push bx
        push cx
        push si
        push ds
        cld
        xor ax, ax
        mov ds, ax
        in al, keys
        mov ah, al
        in al, controls         ; a pulse takes the number
        or al, 80h
        out controls, al
        and al, 7Fh
        out controls, al
        mov al, ah
        mov ah, [shifts]
        mov si, shift_keys
        call find_key
        jnc .lock
        test al, 80h
        jnz .up
        or [shifts], bl
        jmp .end
.up:    not bl
        and [shifts], bl
        jmp .end
.lock:  test al, 80h
        jnz .end
        mov si, lock_keys
        call find_key
        jnc .key
        cmp al, 46h             ; control with it breaks
        jne .turn
        test ah, control
        jz .turn
        int 1Bh
        jmp .end
.turn:  xor [shifts], bl
        jmp .end
.key:   call translate
        jc .end
        call keep
.end:   mov al, 20h
        out pic, al
        pop ds
        pop si
        pop cx
        pop bx
        pop ax
        iret

; Carry where the key AL, up or down, stands in the list at SI; BL is what stands after it.
find_key: mov bh, al
        and bh, 7Fh
.next:  mov bl, cs:[si]
        or bl, bl
        jz .none
        cmp bl, bh
        je .found
        add si, 2
        jmp .next
.found: mov bl, cs:[si + 1]
        stc
.none:  ret

; The key AL with shifts AH becomes the word AX, its character below; carry where it makes none.
translate: mov bl, al
        xor bh, bh
        mov cl, ah
        mov ah, al
        cmp bl, 47h
        jb .main
        jmp .pad
.main:  cmp bl, 3Bh
        jae .function
        test cl, alternate
        jnz .alternate
        test cl, control
        jz .plain
        mov al, cs:[bx + control_keys - 1]
        cmp bl, 3
        jne .check
        xor al, al              ; control and 2 make the character 0
        clc
        ret
.plain: mov al, cs:[bx + plain_keys - 1]
        test cl, capital_lock
        jz .case
        cmp al, 'a'
        jb .case
        cmp al, 'z'
        ja .case
        xor cl, left_shift      ; capitals: shift takes them back
        test cl, right_shift
        jz .case
        xor cl, left_shift + right_shift
.case:  test cl, left_shift + right_shift
        jz .check
        mov al, cs:[bx + shifted_keys - 1]
        cmp bl, 0Fh
        jne .check
        xor al, al              ; back to the tab before
        clc
        ret
.check: or al, al
        jz .none
        clc
        ret
.none:  stc
        ret
.alternate: mov al, cs:[bx + plain_keys - 1]
        cmp al, '-'
        je .row
        cmp al, '='
        je .row
        cmp al, '0'
        jb .none
        cmp al, '9'
        jbe .row
        cmp al, 'a'
        jb .none
        cmp al, 'z'
        ja .none
        xor al, al
        clc
        ret
.row:   add ah, 76h
        xor al, al
        clc
        ret
.function: cmp bl, 44h
        ja .none
        xor al, al
        test cl, alternate
        jnz .far
        test cl, control
        jnz .middle
        test cl, left_shift + right_shift
        jz .near
        add ah, 19h
.near:  clc
        ret
.middle: add ah, 23h
        clc
        ret
.far:   add ah, 2Dh
        clc
        ret
.pad:   cmp bl, 53h
        ja .empty
        test cl, control
        jnz .turn
        mov al, cs:[bx + pad_keys - 47h]
        cmp al, '-'
        je .check
        cmp al, '+'
        je .check
        test cl, left_shift + right_shift
        jz .unshifted
        xor cl, number_lock
.unshifted: test cl, number_lock
        jnz .check
        xor al, al
        cmp bl, 4Ch
        je .empty
        clc
        ret
.turn:  mov ah, cs:[bx + pad_controls - 47h]
        xor al, al
        or ah, ah
        jz .empty
        clc
        ret
.empty: stc
        ret

; Puts the word AX into the buffer; a full one beeps.
keep:   mov bx, [key_tail]
        mov si, bx
        call after
        cmp bx, [key_head]
        je .full
        mov [si + 400h], ax
        mov [key_tail], bx
        ret
.full:  jmp beep_short

; BX goes to the next place of the buffer.
after: add bx, 2
        cmp bx, [key_end]
        jb .inside
        mov bx, [key_first]
.inside: ret

; A click, inside an interrupt.
beep_short: push cx
        in al, controls
        mov ah, al
        mov cx, 100
.wave:  xor al, 2
        out controls, al
        push cx
        mov cx, 60
.wait:  loop .wait
        pop cx
        loop .wave
        mov al, ah
        out controls, al
        pop cx
        ret

; AH = 0 waits for a key and takes it: AX. 1 looks at it: the zero flag where there is none. 2 tells the shifts.
keyboard: sti
        push bx
        push ds
        xor bx, bx
        mov ds, bx
        cmp ah, 1
        jb .wait
        je .look
        cmp ah, 2
        jne .end
        mov al, [shifts]
.end:   pop ds
        pop bx
        iret
.wait:  cli
        mov bx, [key_head]
        cmp bx, [key_tail]
        jne .take
        sti                     ; until the next interrupt
        hlt
        jmp .wait
.take:  mov ax, [bx + 400h]
        call after
        mov [key_head], bx
        sti
        pop ds
        pop bx
        iret
.look:  cli
        mov bx, [key_head]
        mov ax, [bx + 400h]
        cmp bx, [key_tail]
        sti
        pop ds
        pop bx
        retf 2
