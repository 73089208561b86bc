; Skerrow Rock, the first light of the night: a boot sector. The firmware loads it at 7C00h and starts it; nothing else is there.
; With `letter` defined it shows one letter only, which is how one begins.

        cpu 8086
        image boot, "first-light.img"

teletype equ 0Eh                ; boot service 10h: the character in AL goes to the screen

        org 7C00h
start:  xor ax, ax              ; the text stands in segment 0
        mov ds, ax
        if defined(letter)
        mov al, letter
        mov ah, teletype
        int 10h
        else
        mov si, notice
        call show
        endif
stop:   jmp stop

        if !defined(letter)
; The text at SI up to a zero byte.
show:   cld
.next:  lodsb
        or al, al
        jz .end
        mov ah, teletype
        int 10h
        jmp .next
.end:   ret

notice: db "SKERROW ROCK  the lamp is lit", 13, 10, 0
        endif
