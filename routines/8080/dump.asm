; Carried routines for the 8080 and 8085: the registers and memory, for looking at a program from inside.
;
; Needs print.asm, and what that needs.

        space dump

; A, the flags, BC, DE, HL and SP in hex, in a line of their own. Changes nothing.
registers: push h
        push d
        push b
        push psw
        lxi h, .names
        call print.zero
        pop h                   ; A and the flags
        push h
        call print.hex_word
        mvi a, ' '
        call put_character
        pop psw
        pop h
        push h
        push psw
        call .pair              ; BC
        pop psw
        pop b
        pop h
        push h
        push b
        push psw
        call .pair              ; DE
        pop psw
        pop b
        pop d
        pop h
        push h
        push d
        push b
        push psw
        call .pair              ; HL
        lxi h, 10               ; SP as it was: four pairs and the address to return to are above it
        dad sp
        call print.hex_word
        call print.newline
        pop psw
        pop b
        pop d
        pop h
        ret

.pair:  call print.hex_word
        mvi a, ' '
        jmp put_character

.names: db "AF   BC   DE   HL   SP", 13, 10, 0

; BC cells from HL on, sixteen to a line with their address. Changes A, BC, HL, flags.
memory: mov a, b
        ora c
        rz
        call print.hex_word
        mvi d, 16
.cell:  mvi a, ' '
        call put_character
        mov a, m
        call print.hex
        inx h
        dcx b
        mov a, b
        ora c
        jz .end
        dcr d
        jnz .cell
.end:   call print.newline
        jmp memory

        endspace
