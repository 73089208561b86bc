; The text screen, interrupt 10h. AH chooses; what is not told to change comes back as it was.
;
; The frame of a call, from BP up.
in_ax   equ 0
in_bx   equ 2
in_cx   equ 4
in_dx   equ 6
in_es   equ 14
in_bp   equ 16

video:  sti
        cld
        push bp
        push es
        push ds
        push di
        push si
        push dx
        push cx
        push bx
        push ax
        mov bp, sp
        xor di, di
        mov ds, di
        mov di, screen
        mov es, di
        cmp ah, 13h
        ja .end
        mov bl, ah
        xor bh, bh
        add bx, bx
        mov si, bx
        mov bx, [bp + in_bx]
        call word ptr cs:[si + video_calls]
.end:   pop ax
        pop bx
        pop cx
        pop dx
        pop si
        pop di
        pop ds
        pop es
        pop bp
        iret

video_calls:
        dw set_mode, set_shape, set_place, get_place, no_pen, set_page, scroll_up, scroll_down
        dw get_character, put_coloured, put_plain, set_border, .none, .none, teletype, get_state
        dw .none, .none, .none, put_text
.none:  ret

; CX to registers AL and AL + 1 of the 6845.
crt:    push dx
        mov dx, adapter
        out dx, al
        push ax
        inc dx
        mov al, ch
        out dx, al
        pop ax
        dec dx
        inc ax
        out dx, al
        inc dx
        mov al, cl
        out dx, al
        pop dx
        ret

; Modes 0 and 1 have 40 columns, all others here 80. Bit 7 leaves the characters as they are.
set_mode: mov ah, al
        and al, 7Fh
        mov bx, wide
        mov cl, 29h
        mov dx, 80
        cmp al, 2
        jae .known
        mov bx, narrow
        mov cl, 28h
        mov dx, 40
        jmp .set
.known: cmp al, 3
        jbe .set
        mov al, 3
.set:   mov [mode], al
        mov [columns], dx
        mov [crt_mode], cl
        mov byte [crt_mode + 1], 30h
        mov word [crt_port], adapter
        mov word [page_start], 0
        mov byte [page], 0
        mov word [cursor_shape], 0607h
        mov cl, 5
        shl dx, cl              ; 32 lines to a page
        add dx, dx
        mov [page_size], dx
        test ah, 80h
        jnz .kept
        xor di, di
        mov cx, 2000h
        mov ax, 0720h
        rep stosw
.kept:  mov dx, adapter
        xor al, al
.next:  out dx, al
        inc dx
        mov ah, al
        mov al, cs:[bx]
        out dx, al
        dec dx
        mov al, ah
        inc bx
        inc al
        cmp al, 16
        jb .next
        mov dx, adapter + 4
        mov al, [crt_mode]
        out dx, al
        inc dx
        xor al, al
        out dx, al
        push ds
        pop es
        mov di, cursors
        xor ax, ax
        mov cx, 8
        rep stosw
        ret

wide:   db 113, 80, 90, 10, 31, 6, 25, 28, 2, 7, 6, 7, 0, 0, 0, 0
narrow: db 56, 40, 45, 10, 31, 6, 25, 28, 2, 7, 6, 7, 0, 0, 0, 0

set_shape: mov [cursor_shape], cx
        mov al, 10
        jmp crt

; The cursor of page BH goes to line DH, column DL.
set_place: push bx
        mov bl, bh
        and bx, 7
        add bx, bx
        mov [bx + cursors], dx
        pop bx
        cmp bh, [page]
        jne .hidden
        push cx
        call place
        mov cx, di
        shr cx, 1
        mov al, 14
        call crt
        pop cx
.hidden: ret

; DX is where the cursor of page BH is.
cursor: push bx
        mov bl, bh
        and bx, 7
        add bx, bx
        mov dx, [bx + cursors]
        pop bx
        ret

; DI is the address of line DH, column DL of page BH.
place:  push ax
        push dx
        mov al, dh
        mul byte [columns]
        xor dh, dh
        add ax, dx
        add ax, ax
        mov di, ax
        mov al, bh
        and ax, 7
        mul word [page_size]
        add di, ax
        pop dx
        pop ax
        ret

get_place: call cursor
        mov [bp + in_dx], dx
        mov cx, [cursor_shape]
        mov [bp + in_cx], cx
        ret

no_pen: mov byte [bp + in_ax + 1], 0
        ret

set_page: mov [page], al
        mov bh, al
        cbw
        mul word [page_size]
        mov [page_start], ax
        mov cx, ax
        shr cx, 1
        mov al, 12
        call crt
        call cursor
        jmp set_place

; AL lines of the window from CX to DX go, all where it is 0, and others with the attribute BH come.
scroll_up: mov bl, bh
        mov bh, [page]
; The same with the page in BH and the attribute in BL.
lift:   call cut
        xchg cx, dx
        call place
        xchg cx, dx
        mov cx, [columns]
        add cx, cx
        jmp roll

scroll_down: mov bl, bh
        mov bh, [page]
        call cut
        push dx
        add dh, ch              ; from the last line up
        dec dh
        mov dl, cl
        call place
        pop dx
        mov cx, [columns]
        add cx, cx
        neg cx

; From the line at DI on, the next one CX further: AH lines of DL characters come from AL lines further on, then AL are cleared.
roll:   push ax
        push dx
        xor ah, ah
        mul cx
        pop dx
        mov si, di
        add si, ax
        pop ax
.move:  or ah, ah
        jz .clear
        push si
        push di
        push cx
        push ds
        push es
        pop ds
        mov cl, dl
        xor ch, ch
        rep movsw
        pop ds
        pop cx
        pop di
        pop si
        add di, cx
        add si, cx
        dec ah
        jmp .move
.clear: or al, al
        jz .end
        push ax
        push cx
        push di
        mov ah, bl
        mov al, ' '
        mov cl, dl
        xor ch, ch
        rep stosw
        pop di
        pop cx
        pop ax
        add di, cx
        dec al
        jmp .clear
.end:   ret

; Cuts the window from CX to DX to the screen: DH lines of DL columns, of which AL go and AH stay.
cut:    cmp dl, [columns]
        jb .wide
        mov dl, [columns]
        dec dl
.wide:  cmp dh, rows
        jb .tall
        mov dh, rows - 1
.tall:  sub dh, ch
        jc .empty
        inc dh
        sub dl, cl
        jc .empty
        inc dl
        mov ah, dh
        or al, al
        jz .all
        sub ah, al
        jnc .end
.all:   mov al, dh
        xor ah, ah
.end:   ret
.empty: xor ax, ax
        xor dx, dx
        ret

get_character: call cursor
        call place
        mov ax, es:[di]
        mov [bp + in_ax], ax
        ret

put_coloured: call cursor
        call place
        mov ah, bl
        jcxz .none
        rep stosw
.none:  ret

put_plain: call cursor
        call place
        jcxz .none
.next:  stosb
        inc di
        loop .next
.none:  ret

set_border: or bh, bh
        jnz .other
        mov al, bl
        mov dx, adapter + 5
        out dx, al
.other: ret

get_state: mov al, [mode]
        mov ah, [columns]
        mov [bp + in_ax], ax
        mov bh, [page]
        mov [bp + in_bx + 1], bh
        ret

; The character AL at the cursor, in the colour that is there, and the cursor goes on.
teletype: mov bh, [page]
        out tap, al
write:  call cursor             ; the same on page BH
        cmp al, 13
        je .first
        cmp al, 10
        je .line
        cmp al, 8
        je .back
        cmp al, 7
        je beep
        call place
        stosb
        inc dl
        cmp dl, [columns]
        jb .set
        xor dl, dl
.line:  inc dh
        cmp dh, rows
        jb .set
        mov dh, rows - 1
        push dx
        call place
        mov bl, es:[di + 1]
        xor cx, cx
        mov dl, [columns]
        dec dl
        mov al, 1
        push bx
        call lift
        pop bx
        pop dx
        jmp .set
.first: xor dl, dl
        jmp .set
.back:  or dl, dl
        jz .set
        dec dl
.set:   jmp set_place

; A tone for two ticks or three, and a pause.
beep:   push ax
        push dx
        mov al, 0B6h
        out pit + 3, al
        mov ax, 1331            ; 896 Hz
        out pit + 2, al
        mov al, ah
        out pit + 2, al
        in al, controls
        push ax
        or al, 3
        out controls, al
        mov dx, [ticks]
        add dx, 2
.wait:  hlt
        mov ax, dx
        sub ax, [ticks]
        jns .wait
        pop ax
        out controls, al
        inc dx                  ; and a tick of silence
.rest:  hlt
        mov ax, dx
        sub ax, [ticks]
        jns .rest
        pop dx
        pop ax
        ret

; CX characters of the text at ES:BP from line DH, column DL of page BH on. Bit 0 of AL: the cursor stays after them. Bit 1: each has its
; attribute after it; else all have BL.
put_text: call cursor
        push dx                 ; where the cursor was
        mov dx, [bp + in_dx]
        call set_place
        mov si, [bp + in_bp]
        mov cx, [bp + in_cx]
        jcxz .end
.next:  push cx
        push ds
        mov ds, [bp + in_es]
        lodsb
        test byte [bp + in_ax], 2
        jz .same
        mov bl, [si]
        inc si
.same:  pop ds
        out tap, al
        cmp al, 7
        je .plain
        cmp al, 8
        je .plain
        cmp al, 10
        je .plain
        cmp al, 13
        je .plain
        call cursor
        call place
        mov es:[di + 1], bl
.plain: push bx
        push si
        call write
        pop si
        pop bx
        pop cx
        loop .next
.end:   pop dx
        test byte [bp + in_ax], 1
        jnz .stays
        call set_place
.stays: ret
