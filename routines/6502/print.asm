; Carried routines for the 6502 and 65C02: texts of every kind of ending, numbers, a new line.
;
; The program says how a character goes out: `put_character` sends the one in A and keeps X and Y. It also gives four cells
; of page zero as `print_at`. Include this after the program; call print.zero and its like. A text is given by its address,
; the low half in A and the high half in Y.

        space print

; The text up to a zero byte. Changes A, Y, flags.
zero:   jsr begin
        cycle
        lda (print_at), y
        leave eq
        jsr put_character
        jsr advance
        endcycle
        rts

; The text up to the character in X. Changes A, Y, flags.
marker: jsr begin
        stx print_at + 2
        cycle
        lda (print_at), y
        cmp print_at + 2
        leave eq
        jsr put_character
        jsr advance
        endcycle
        rts

; The text up to a cell of $FF. Changes A, Y, flags.
ff:     jsr begin
        cycle
        lda (print_at), y
        cmp #$FF
        leave eq
        jsr put_character
        jsr advance
        endcycle
        rts

; The text whose last character has bit 7 set. Changes A, Y, flags.
high_bit: jsr begin
        cycle
        lda (print_at), y
        and #$7F
        jsr put_character
        lda (print_at), y
        leave mi
        jsr advance
        endcycle
        rts

; The text whose first cell says how long it is. Changes A, X, Y, flags.
counted: jsr begin
        lda (print_at), y
        tax
        cycle
        cpx #0
        leave eq
        jsr advance
        lda (print_at), y
        jsr put_character
        dex
        endcycle
        rts

; The pointer to a text, and to its next character.
begin:  sta print_at
        sty print_at + 1
        ldy #0
        rts
advance: iny
        when eq
        inc print_at + 1        ; a text may be longer than a page
        endwhen
        rts

; A as two hex digits. Changes A, flags.
hex:    pha
        lsr a
        lsr a
        lsr a
        lsr a
        jsr digit
        pla

; The lower half of A as a hex digit. Changes A, flags.
digit:  and #$0F
        ora #$30
        cmp #$3A
        when cs
        adc #6                  ; and the carry: from after 9 to A
        endwhen
        jmp put_character

; The word in A (low) and Y (high) as four hex digits. Changes A, flags.
hex_word: pha
        tya
        jsr hex
        pla
        jmp hex

; A as a decimal number without leading zeros. Changes A, X, Y, flags.
decimal: ldy #0

; The word in A (low) and Y (high) as a decimal number without leading zeros. Changes A, X, Y, flags.
decimal_word: jsr begin
        sty print_at + 2        ; 1 after the first digit
        ldx #3
        cycle
        ldy #0                  ; how often the power goes into it
        cycle
        lda print_at
        sec
        sbc powers_low, x
        pha
        lda print_at + 1
        sbc powers_high, x
        when cc
        pla
        jmp place
        endwhen
        sta print_at + 1
        pla
        sta print_at
        iny
        endcycle
place:  tya
        ora print_at + 2
        when ne
        inc print_at + 2
        tya
        jsr digit
        endwhen
        dex
        endcycle pl
        lda print_at
        jmp digit

powers_low: db low 10, low 100, low 1000, low 10000
powers_high: db high 10, high 100, high 1000, high 10000

; A new line. Changes A.
newline: lda #13
        jsr put_character
        lda #10
        jmp put_character

        endspace
