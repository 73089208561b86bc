; Carried routines for the Z80: texts of every kind of ending, numbers, a new line.
;
; The program says how a character goes out: `put_character` sends the one in A and keeps BC, DE and HL.
; Include this after the program; call print.zero and its like.

        space print

; The text at HL up to a zero byte. Changes A, HL, flags.
zero:   ld a, (hl)
        or a
        ret z
        call put_character
        inc hl
        jp zero

; The text at HL up to the character in B. Changes A, HL, flags.
marker: ld a, (hl)
        cp b
        ret z
        call put_character
        inc hl
        jp marker

; The text at HL up to a cell of 0FFh. Changes A, HL, flags.
ff:     ld a, (hl)
        cp 0FFh
        ret z
        call put_character
        inc hl
        jp ff

; The text at HL whose last character has bit 7 set. Changes A, HL, flags.
high_bit: ld a, (hl)
        and 7Fh
        call put_character
        ld a, (hl)
        inc hl
        rla
        jp nc, high_bit
        ret

; The text at HL whose first cell says how long it is. Changes A, B, HL, flags.
counted: ld b, (hl)
        inc b
.next:  inc hl
        dec b
        ret z
        ld a, (hl)
        call put_character
        jp .next

; A as two hex digits. Changes A, flags.
hex:    push af
        rrca
        rrca
        rrca
        rrca
        call digit
        pop af

; The lower half of A as a hex digit. Changes A, flags.
digit:  and 0Fh
        add a, 90h              ; 0 to 9 become 90h to 99h, A to F carry over 0
        daa
        adc a, 40h
        daa
        jp put_character

; HL as four hex digits. Changes A, flags.
hex_word: ld a, h
        call hex
        ld a, l
        jp hex

; A as a decimal number without leading zeros. Changes A, flags.
decimal: push hl
        ld l, a
        ld h, 0
        call decimal_word
        pop hl
        ret

; HL as a decimal number without leading zeros. Changes A, flags.
decimal_word: push bc
        push de
        push hl
        ld b, 0                 ; 1 after the first digit
        ld de, 10000
        call .place
        ld de, 1000
        call .place
        ld de, 100
        call .place
        ld de, 10
        call .place
        ld a, l
        call digit
        pop hl
        pop de
        pop bc
        ret

; One place: how often DE goes into HL.
.place: ld c, 0
.again: ld a, l
        sub e
        ld a, h
        sbc a, d
        jp c, .put
        ld h, a
        ld a, l
        sub e
        ld l, a
        inc c
        jp .again
.put:   ld a, b
        or c
        ret z                   ; a leading zero
        ld b, 1
        ld a, c
        jp digit

; A new line. Changes A.
newline: ld a, 13
        call put_character
        ld a, 10
        jp put_character

        endspace
