; petrel: the words save and load: files of the disk to a cassette and back. PB5 goes to the tape, PB4 lets its motor run, PC7 is what the
; comparator hears, and counter 2, whose tone is not let out, tells the time. docs/tape.md has the form of the blocks.

tape_in equ 62h
tape_bit equ 20h
tape_quiet_bits equ 11h         ; the motor, and the gate of counter 2

short_half   equ 249                 ; pulses of counter 2 in half a wave of 2400 Hz
long_half equ 497                 ; and of 1200 Hz
between equ 373
in_block equ 128
silence equ 400                 ; turns of the listening loop, four milliseconds
patience equ 1000               ; so many of them are the end

file_at equ 1000h               ; the segment of the file
block_at equ 2000h              ; and of a block, from its kind on
kind    equ 0                   ; in a block
number  equ 1
length  equ 3
carried equ 4

; Its cells, in segment 0, where pieces of files are otherwise.
level   equ piece
side    equ piece + 1           ; what the comparator said, in bit 7
units   equ piece + 2           ; halves of 2400 Hz in a bit
inside  equ piece + 3           ; bit 7: in a block; bit 6: in a program
missing equ piece + 4           ; two
expected equ piece + 6          ; two
last_block equ piece + 8        ; two
first_at equ piece + 10         ; two
size_of equ piece + 12          ; two
quiet   equ piece + 14          ; two
top     equ piece + 16          ; two
whole   equ piece + 18          ; two: the sum of all data
wish    equ piece + 20          ; sixteen characters and a zero byte

; ---- the interface

tape_on: cli
        mov al, 0B4h            ; counter 2 counts 65536 pulses again and again
        out pit + 3, al
        xor al, al
        out pit + 2, al
        out pit + 2, al
        mov al, tape_quiet_bits
        mov [level], al
        out controls, al
        in al, tape_in
        and al, 80h
        mov [side], al
        ret

tape_off: xor al, al
        out controls, al
        sti
        ret

; AX is what counter 2 has come down to.
tape_clock:  mov al, 80h
        out pit + 3, al
        in al, pit + 2
        mov ah, al
        in al, pit + 2
        xchg al, ah
        ret

; A key that was struck ends it.
check:  mov al, 0Ah             ; which levels ask
        out pic, al
        in al, pic
        test al, 2
        jz .none
        in al, keys
        test al, 80h
        jz .stop
        mov al, [level]         ; one that is let go is taken
        or al, 80h
        out controls, al
        and al, 7Fh
        out controls, al
.none:  ret
.stop:  call tape_off
        xor ax, ax              ; the key is taken
        mov es, ax
        int 16h
        mov sp, 8F0h
        mov dx, stopped
        call say
        jmp prompt_line

; AL into the CRC in DX.
add_crc: push cx
        xor dh, al
        mov cx, 8
.bit:   shl dx, 1
        jnc .no
        xor dx, 1021h
.no:    loop .bit
        pop cx
        ret

; ---- to the tape; BP is when the level turns over next

half:   call tape_clock
        sub ax, bp              ; modulo 65536
        jns half
        mov al, [level]
        xor al, tape_bit
        mov [level], al
        out controls, al
        sub bp, di
        ret

; The bit in the carry.
send_bit: jc .one
        mov di, long_half
        mov cx, 2
        jmp .each
.one:   mov di, short_half
        mov cx, 4
.each:  call half
        loop .each
        ret

; The byte in AL.
send:   mov bl, al
        mov bh, 8
        clc
        call send_bit
.bit:   shr bl, 1
        call send_bit
        dec bh
        jnz .bit
        stc
        call send_bit
        stc
        jmp send_bit

; Ones for CX halves, from now on.
leader: call tape_clock
        mov bp, ax
        mov di, short_half
.each:  push cx
        call half
        pop cx
        loop .each
        ret

; The block at ES:0, which carries BX bytes: its sum is put after it, and it is sent after CX halves of ones.
send_block: push cx
        call check
        mov es:[length], bl
        add bx, carried
        mov cx, bx
        xor si, si
        xor dx, dx
.sum:   mov al, es:[si]
        inc si
        call add_crc
        loop .sum
        mov es:[si], dx
        pop cx
        push si
        call leader
        mov al, 0A5h
        call send
        mov al, 5Ah
        call send
        pop dx
        add dx, 2
        xor si, si
.byte:  mov al, es:[si]
        inc si
        call send
        cmp si, dx
        jb .byte
        ret

save_word: call take_name
        cmp di, name
        jne .named
        mov dx, which
        jmp say
.named: mov dx, name
        mov ax, 3D00h
        int 21h
        jnc .open
        mov dx, no_file
        jmp say
.open:  mov bx, ax
        push ds
        mov ax, file_at
        mov ds, ax
        xor dx, dx
        mov cx, 0FF00h
        mov ah, 3Fh
        int 21h
        pop ds
        mov [size_of], ax
        mov ah, 3Eh
        int 21h
        mov dx, press_record
        call say
        xor ax, ax
        int 16h
        call new_line
        call tape_on
        mov ax, block_at
        mov es, ax
        mov di, carried         ; the header: its name
        mov si, name
        mov cx, 16
.letter: lodsb
        or al, al
        jz .pad
        call upper
        stosb
        loop .letter
        jmp .facts
.pad:   mov al, ' '
        rep stosb
.facts: mov al, 1               ; the version, the first address, the start
        stosb
        mov ax, 100h
        stosw
        mov al, 0
        stosb
        mov ax, 100h
        stosw
        mov al, 0
        stosb
        mov ax, [size_of]
        stosw
        mov al, 0
        stosb
        mov ax, [size_of]
        add ax, in_block - 1
        mov cl, 7
        shr ax, cl
        mov [last_block], ax
        stosw
        mov byte es:[kind], 'H'
        mov word es:[number], 0
        mov bx, 28
        mov cx, 14400           ; three seconds
        call send_block
        mov word [first_at], 0
        mov word [whole], 0
.block: inc word es:[number]
        mov cx, [size_of]
        jcxz .end
        cmp cx, in_block
        jbe .some
        mov cx, in_block
.some:  sub [size_of], cx
        mov byte es:[kind], 'D'
        mov di, carried
        mov ax, [first_at]
        mov si, ax
        add [first_at], cx
        add ax, 100h
        stosw
        mov al, 0
        stosb
        mov bx, cx
        add bx, 3
        mov dx, [whole]
        push ds
        mov ax, file_at
        mov ds, ax
.copy:  lodsb
        stosb
        call add_crc
        loop .copy
        pop ds
        mov [whole], dx
        mov cx, 1440            ; three tenths
        call send_block
        jmp .block
.end:   mov byte es:[kind], 'E'
        mov di, carried
        mov ax, [whole]
        stosw
        mov ax, [last_block]
        stosw
        mov bx, 4
        mov cx, 1440
        call send_block
        mov cx, 1440
        call leader
        call tape_off
        xor ax, ax
        mov es, ax
        mov dx, on_tape
        jmp say

upper:  cmp al, 'a'
        jb .no
        cmp al, 'z'
        ja .no
        sub al, 20h
.no:    ret

; ---- from the tape; BP is when the level turned over last

; Waits for the level to turn over. Carry where that took as long as half a wave of 1200 Hz.
hear:   mov cx, silence
.wait:  in al, tape_in
        xor al, [side]
        js .turned
        loop .wait
        test byte [inside], 80h ; in a block silence is its end
        jnz tape_broken
        test byte [inside], 40h ; in a program four seconds of it
        jz .look
        inc word [quiet]
        cmp word [quiet], patience
        jae tape_broken
.look:  call check
        jmp hear
.turned: xor byte [side], 80h
        call tape_clock
        mov cx, bp
        mov bp, ax
        sub cx, ax
        cmp cx, between
        cmc
        ret

; The block cannot be read: back to whoever wanted it.
tape_broken: mov sp, [top]
        stc
        ret

; The rest of a bit, of which BL halves of 2400 Hz are left. Carry where it is a zero.
bit_in: call hear
        jc .long
        dec bl
        jmp .taken
.long:  inc bh
        sub bl, 2
.taken: jz .over
        jns bit_in
.over:  add bl, [units]
        mov al, bh
        shl al, 1
        shl al, 1
        mov bh, 0
        cmp al, [units]
        cmc
        ret

; Eight bits to AL; the first of them has begun.
eight:  mov dh, 8
.bit:   call bit_in
        rcr dl, 1
        dec dh
        jnz .bit
        mov al, dl
        not al
        ret

; A byte of a block to ES:DI: ones, then a zero that begins it.
get:    call check
.ones:  call hear
        jc .ones
        call hear
        jc .ones
        mov dh, 200             ; where no byte comes for so long, some of the block were lost
.zero:  dec dh
        jz tape_broken
        call hear
        jnc .zero
        mov bl, [units]
        sub bl, 2
        mov bh, 1
        call bit_in
        jnc .ones
        call eight
        stosb
        ret

; The next block on the tape, to ES:0. Carry where it cannot be read.
next_block: mov [top], sp
        mov word [quiet], 0
.look:  and byte [inside], 7Fh
.ones:  call check
        mov dh, 16              ; halves of ones in a row
.one:   call hear
        jc .ones
        dec dh
        jnz .one
.zero:  call check
        call hear
        jnc .zero
        mov dh, 0               ; the zero after them tells how fast bits come
.longs: inc dh
        call hear
        jc .longs
        mov al, 4
        cmp dh, 5
        jb .is_fast
        mov al, 16
.is_fast: mov [units], al
        dec al
        mov bl, al
        mov bh, 0
        call eight
        cmp al, 0A5h
        jne .look
        or byte [inside], 80h
        xor di, di
        call get
        cmp al, 5Ah
        jne .look
        xor di, di
        mov si, carried
.head:  call get
        dec si
        jnz .head
        mov al, es:[length]
        xor ah, ah
        dec al                  ; 0 is 256
        inc ax
        add ax, 2
        mov si, ax
.rest:  call get
        dec si
        jnz .rest
        mov cx, di
        sub cx, 2
        xor si, si
        xor dx, dx
.sum:   mov al, es:[si]
        inc si
        call add_crc
        loop .sum
        cmp dx, es:[si]
        je .right
        jmp tape_broken
.right: ret                     ; without a carry

load_word: mov di, wish
        mov cx, 16
.wish:  lodsb
        cmp al, ' '
        jbe .end_of_wish
        call upper
        stosb
        loop .wish
.end_of_wish: mov byte [di], 0
        mov dx, press_play
        call say
        call tape_on
        mov ax, block_at
        mov es, ax
        mov byte [inside], 0
        mov word [missing], 0
.header: call next_block
        jc .other
        cmp byte es:[kind], 'H'
        jne .other
        cmp byte es:[carried + 16], 1
        jne .other
        call show_header
        call is_wished
        jnc .found
        mov dx, passed_by
        call say
.other: mov byte [inside], 0
        jmp .header
.found: call new_line
        mov ax, es:[carried + 17]
        mov [first_at], ax
        mov ax, es:[carried + 23]
        mov [size_of], ax
        mov ax, es:[carried + 26]
        mov [last_block], ax
        mov si, carried         ; the name of the file
        mov di, name
        mov cx, 16
        mov dl, 0
.letter: mov al, es:[si]
        inc si
        cmp al, ' '
        jbe .end_of_name
        cmp al, '.'
        jne .plain
        inc dl
.plain: mov [di], al
        inc di
        loop .letter
.end_of_name: mov byte [di], 0
        or dl, dl
        jnz .blocks
        mov word [di], '.' | 'C' << 8
        mov word [di + 2], 'O' | 'M' << 8
        mov byte [di + 4], 0
.blocks: mov word [expected], 1
.block: mov ax, [expected]
        cmp ax, [last_block]
        ja .end
        mov byte [inside], 40h
        call next_block
        jnc .whole
        cmp word [quiet], patience
        jae .lost
        call lose
        jmp .block
.whole: cmp byte es:[kind], 'D'
        jne .lost
.same:  mov ax, es:[number]
        cmp ax, [expected]
        jb .block               ; it was there already
        je .good
        call lose               ; what was not heard at all
        jmp .same
.good:  inc word [expected]
        mov di, es:[carried]
        sub di, [first_at]
        mov cl, es:[length]
        xor ch, ch
        sub cl, 3
        jbe .block
        mov si, carried + 3
        push ds
        push es
        push es
        pop ds
        mov ax, file_at
        mov es, ax
        rep movsb
        pop es
        pop ds
        jmp .block
; Another program begins, or nothing comes any more.
.lost:  mov ax, [expected]
        cmp ax, [last_block]
        ja .end
        call lose
        jmp .lost
.end:   call tape_off
        xor ax, ax
        mov es, ax
        mov ax, [missing]
        or ax, ax
        jz .write
        mov dx, are_missing
        call say
        mov ax, [missing]
        xor dx, dx
        call decimal
        jmp new_line
.write: mov dx, name
        xor cx, cx
        mov ah, 3Ch
        int 21h
        jc .no_disk
        mov bx, ax
        push ds
        mov cx, [size_of]
        mov ax, file_at
        mov ds, ax
        xor dx, dx
        mov ah, 40h
        int 21h
        pop ds
        pushf
        mov ah, 3Eh
        int 21h
        popf
        jc .no_disk
        mov dx, on_disk
        call say
        mov si, name
        call letters
        jmp new_line
.no_disk: mov dx, no_disk
        jmp say

; The expected block is told to be lost, and the next one is expected.
lose:   inc word [missing]
        push es
        push dx
        mov dx, block_is
        call say
        mov ax, [expected]
        xor dx, dx
        call decimal
        inc word [expected]
        mov dx, unreadable
        call say
        pop dx
        pop es
        ret

; The characters at SI up to a zero byte.
letters: lodsb
        or al, al
        jz .end
        int 29h
        jmp letters
.end:   ret

; Shows the name and the size of a header.
show_header: mov si, carried
        mov cx, 16
.letter: mov al, es:[si]
        inc si
        cmp al, ' '
        jbe .end
        int 29h
        loop .letter
.end:   mov dx, bytes_are
        call say
        mov ax, es:[carried + 23]
        xor dx, dx
        jmp decimal

; Carry where the header has another name than was wished for.
is_wished: mov si, wish
        mov di, carried
        cmp byte [si], 0
        je .yes
.each:  lodsb
        mov ah, es:[di]
        inc di
        or al, al
        jz .ends
        xchg al, ah
        call upper
        cmp al, ah
        jne .no
        cmp si, wish + 16
        jb .each
.yes:   clc
        ret
.ends:  cmp ah, ' '
        je .yes
.no:    stc
        ret

which:  db "Which file?", 13, 10, 0
press_record: db "Press RECORD, then any key.", 0
press_play: db "Press PLAY; any key ends it.", 13, 10, 0
on_tape: db "It is on the tape.", 13, 10, 0
on_disk: db "It is on the disk as ", 0
no_disk: db "The disk does not take it.", 13, 10, 0
are_missing: db "Blocks that are missing: ", 0
block_is: db "Block ", 0
unreadable: db " cannot be read.", 13, 10, 0
passed_by: db ", passed by", 13, 10, 0
bytes_are: db ", bytes ", 0
stopped: db "Stopped.", 13, 10, 0
