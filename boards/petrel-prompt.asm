; The resident prompt: it comes up where no disk begins by itself. It runs programs of the disk by their names, and knows a few words.

; Its cells, in segment 0.
typed   equ 600h                ; a line: how many it takes, how many came, the characters
found   equ 680h                ; what a search has found
blocks  equ 6B0h                ; what a program is given: environment, words, two file blocks
words   equ 6C0h                ; the words after its name
name    equ 750h                ; its name
piece   equ 780h                ; a piece of a file

piece_size equ 80h

prompt: cli
        cld
        xor ax, ax
        mov ds, ax
        mov es, ax
        mov ss, ax
        mov sp, 8F0h
        sti
        mov dx, greeting
        call say
prompt_line: mov ah, 3
        mov bh, 0
        int 10h
        or dl, dl
        jz .first
        call new_line
.first: mov dx, sign
        call say
        xor ax, ax
        mov ds, ax
        mov es, ax
        mov byte [typed], 80
        mov dx, typed
        mov ah, 0Ah
        int 21h
        call feed
        mov si, typed + 2
        call skip_blanks
        cmp al, 13
        je prompt_line
        mov bx, prompt_words
.word:  mov di, cs:[bx]         ; the word's text
        or di, di
        jnz .try
        jmp run_program
.try:   push si
.letter: mov al, cs:[di]
        or al, al
        jz .end
        mov ah, [si]
        or ah, 20h
        cmp al, ah
        jne .other
        inc si
        inc di
        jmp .letter
.end:   cmp byte [si], ' '      ; a whole word
        ja .other
        pop ax
        call skip_blanks
        call word ptr cs:[bx + 2]
        jmp prompt_line
.other: pop si
        add bx, 4
        jmp .word

prompt_words:
        dw word_files, list_files, word_show, show_file, word_clear, clear_screen, word_last, tell_last
        dw word_save, save_word, word_load, load_word
        dw word_help, tell_help, 0

word_files: db "files", 0
word_show: db "show", 0
word_clear: db "clear", 0
word_last: db "last", 0
word_save: db "save", 0
word_load: db "load", 0
word_help: db "help", 0

greeting: db "petrel: 640K. Type help for the words.", 13, 10, 0
sign:   db "> ", 0
helping: db "files        the files of the disk; files *.ASM those that fit", 13, 10
        db "show NAME    a file as text", 13, 10
        db "clear        an empty screen", 13, 10
        db "last         what the last program ended with", 13, 10
        db "save NAME    a file to the cassette", 13, 10
        db "load NAME    a program from the cassette to the disk; load alone the next one", 13, 10
        db "NAME words   runs a program, NAME.COM or NAME.EXE", 13, 10, 0
no_file: db "There is no such file.", 13, 10, 0
no_program: db "There is no such word, and no such program on the disk.", 13, 10, 0
no_room: db "It is no program, or too large for the memory.", 13, 10, 0
ended:  db "It ended with ", 0
command_end: db ".COM", 0, ".EXE", 0
everything: db "*.*", 0

; The text at CS:DX up to a zero byte.
say:    push si
        mov si, dx
.next:  cs lodsb
        or al, al
        jz .end
        int 29h
        jmp .next
.end:   pop si
        ret

feed:   mov al, 10
        int 29h
        ret

; SI goes to what is no blank: AL.
skip_blanks: lodsb
        cmp al, ' '
        je skip_blanks
        cmp al, 9
        je skip_blanks
        dec si
        ret

; A name from SI to `name`, with a zero byte after it; DI is after it, DL tells whether there is a point in it.
take_name: mov di, name
        xor dl, dl
        mov cx, 30
.next:  mov al, [si]
        cmp al, ' '
        jbe .end
        cmp al, '.'
        jne .other
        inc dl
.other: stosb
        inc si
        loop .next
.end:   mov byte [di], 0
        ret

list_files: call take_name
        cmp di, name
        jne .given
        mov word [name], '*' | '.' << 8
        mov word [name + 2], '*'
.given: mov dx, found
        mov ah, 1Ah
        int 21h
        mov dx, name
        xor cx, cx
        mov ah, 4Eh
        int 21h
        jc .none
.next:  mov si, found + 1Eh
        mov cx, 14
.letter: lodsb
        or al, al
        jz .rest
        int 29h
        loop .letter
.rest:  mov al, ' '
        int 29h
        loop .rest
        mov ax, [found + 1Ah]
        mov dx, [found + 1Ch]
        call decimal
        call new_line
        mov ah, 4Fh
        int 21h
        jnc .next
        ret
.none:  mov dx, no_file
        jmp say

; DX:AX in decimal.
decimal: xor cx, cx
.digit: mov bx, 10
        push ax
        mov ax, dx
        xor dx, dx
        div bx
        mov di, ax
        pop ax
        div bx
        push dx
        inc cx
        mov dx, di
        or di, ax
        jnz .digit
.next:  pop ax
        add al, '0'
        int 29h
        loop .next
        ret

show_file: call take_name
        mov dx, name
        mov ax, 3D00h
        int 21h
        jc .none
        mov bx, ax
.next:  mov dx, piece
        mov cx, piece_size
        mov ah, 3Fh
        int 21h
        jc .end
        mov cx, ax
        jcxz .end
        mov si, piece
.letter: lodsb
        cmp al, 1Ah             ; the end of a text
        je .end
        int 29h
        loop .letter
        jmp .next
.end:   mov ah, 3Eh
        int 21h
        ret
.none:  mov dx, no_file
        jmp say

clear_screen: mov ax, 3
        int 10h
        ret

tell_last: mov ah, 4Dh
        int 21h
        push ax
        mov dx, ended
        call say
        pop ax
        xor ah, ah
        xor dx, dx
        call decimal
        jmp new_line

tell_help: mov dx, helping
        jmp say

; The program whose name stands at SI, with the words after it.
run_program: call take_name
        push di
        mov di, words + 1
        mov cl, 0
.word:  lodsb
        stosb
        cmp al, 13
        je .told
        inc cl
        jmp .word
.told:  mov [words], cl
        pop di
        mov word [blocks], 0
        mov word [blocks + 2], words
        mov [blocks + 4], ds
        mov word [blocks + 6], 5Ch
        mov [blocks + 8], ds
        mov word [blocks + 10], 6Ch
        mov [blocks + 12], ds
        or dl, dl
        jnz .once
        mov si, command_end
        call .ending
        jnc .ran
        cmp ax, 2
        jne .failed
        mov si, command_end + 5
        call .ending
        jmp .looked
.once:  call .try
.looked: jc .failed
.ran:   jmp prompt_line
.failed: mov dx, no_program
        cmp ax, 2
        je .tell
        mov dx, no_room
.tell:  call say
        jmp prompt_line
; With the ending at CS:SI.
.ending: push di
.letter: cs lodsb
        stosb
        or al, al
        jnz .letter
        call .try
        pop di
        ret
.try:   push di
        mov bx, blocks
        mov dx, name
        mov ax, 4B00h
        int 21h
        mov bx, 0               ; what a program leaves of the registers is its own
        mov ds, bx
        mov es, bx
        pop di
        ret
