; Carried routines for the 8080 and 8085: texts of every kind of ending, numbers, a new line.
;
; The program says how a character goes out: `put_character` sends the one in A and keeps BC, DE and HL.
; Include this after the program; call print.zero and its like.

        space print

; The text at HL up to a zero byte. Changes A, HL, flags.
zero:   mov a, m
        ora a
        rz
        call put_character
        inx h
        jmp zero

; The text at HL up to the character in B. Changes A, HL, flags.
marker: mov a, m
        cmp b
        rz
        call put_character
        inx h
        jmp marker

; The text at HL up to a cell of 0FFh. Changes A, HL, flags.
ff:     mov a, m
        cpi 0FFh
        rz
        call put_character
        inx h
        jmp ff

; The text at HL whose last character has bit 7 set. Changes A, HL, flags.
high_bit: mov a, m
        ani 7Fh
        call put_character
        mov a, m
        inx h
        ral
        jnc high_bit
        ret

; The text at HL whose first cell says how long it is. Changes A, B, HL, flags.
counted: mov b, m
        inr b
.next:  inx h
        dcr b
        rz
        mov a, m
        call put_character
        jmp .next

; A as two hex digits. Changes A, flags.
hex:    push psw
        rrc
        rrc
        rrc
        rrc
        call digit
        pop psw

; The lower half of A as a hex digit. Changes A, flags.
digit:  ani 0Fh
        adi 90h                 ; 0 to 9 become 90h to 99h, A to F carry over 0
        daa
        aci 40h
        daa
        jmp put_character

; HL as four hex digits. Changes A, flags.
hex_word: mov a, h
        call hex
        mov a, l
        jmp hex

; A as a decimal number without leading zeros. Changes A, flags.
decimal: push h
        mov l, a
        mvi h, 0
        call decimal_word
        pop h
        ret

; HL as a decimal number without leading zeros. Changes A, flags.
decimal_word: push b
        push d
        push h
        mvi b, 0                ; 1 after the first digit
        lxi d, 10000
        call .place
        lxi d, 1000
        call .place
        lxi d, 100
        call .place
        lxi d, 10
        call .place
        mov a, l
        call digit
        pop h
        pop d
        pop b
        ret

; One place: how often DE goes into HL.
.place: mvi c, 0
.again: mov a, l
        sub e
        mov a, h
        sbb d
        jc .put
        mov h, a
        mov a, l
        sub e
        mov l, a
        inr c
        jmp .again
.put:   mov a, b
        ora c
        rz                      ; a leading zero
        mvi b, 1
        mov a, c
        jmp digit

; A new line. Changes A.
newline: mvi a, 13
        call put_character
        mvi a, 10
        jmp put_character

        endspace
