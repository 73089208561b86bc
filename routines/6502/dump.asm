; Carried routines for the 6502 and 65C02: the registers and memory, for looking at a program from inside.
;
; Needs print.asm, and what that needs.

        space dump

; A, X, Y, P and S in hex, in a line of their own. Changes nothing.
registers: php
        pha
        txa
        pha
        tya
        pha
        cld
        ldx #0
        cycle
        lda names, x
        leave eq
        jsr put_character
        inx
        endcycle
        tsx
        lda $103, x             ; A
        jsr one
        lda $102, x             ; X
        jsr one
        lda $101, x             ; Y
        jsr one
        lda $104, x             ; P
        jsr one
        txa                     ; S as it was: four registers and the address to return to are above it
        clc
        adc #6
        jsr print.hex
        jsr print.newline
        pla
        tay
        pla
        tax
        pla
        plp
        rts

one:    jsr print.hex
        lda #' '
        jmp put_character

names:  db "A  X  Y  P  S", 13, 10, 0

; As many cells as X says (0 is 256) from the address in A (low) and Y (high) on, sixteen to a line. Changes A, X, Y, flags.
memory: sta print_at
        sty print_at + 1
        ldy #0
        cycle
        tya
        and #15
        when eq
        clc                     ; the address of the line
        tya
        adc print_at
        pha
        lda print_at + 1
        adc #0
        jsr print.hex
        pla
        jsr print.hex
        endwhen
        lda #' '
        jsr put_character
        lda (print_at), y
        jsr print.hex
        iny
        tya
        and #15
        when eq
        jsr print.newline
        endwhen
        dex
        endcycle ne
        tya
        and #15
        when ne
        jsr print.newline
        endwhen
        rts

        endspace
