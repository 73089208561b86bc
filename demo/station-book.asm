; Skerrow Rock, the station book: an EXE program in three parts, each a segment of its own. It writes how many boats passed, and shows
; its registers and its data, with the routines that travel along.
;
; `--define boats=12` says how many; without it there were 7. With `quiet` defined it leaves the dumps out.

        cpu 8086
        image exe, "station-book.exe"
        entry start

        if !defined(boats)
boats   equ 7
        endif

        part stack
        ds 200h

        part data
heading: db "Boats past Skerrow Rock: ", 0
passed: dw boats

        part code
start:  mov ax, seg heading     ; DS leads to the data when the program says so
        mov ds, ax
        mov si, heading
        call print.zero
        mov ax, [passed]
        call print.decimal_word
        call print.newline
        if !defined(quiet)
        call dump.registers
        mov si, heading
        mov cx, 32
        call dump.memory
        endif
        mov ax, 4C00h
        int 21h

        include "routines/8086/print.asm"
        include "routines/8086/dump.asm"
