; Skerrow Rock, the keeper's tape of lamp characters: each is played once on the lamps, eight tenths of a second for a turn.
; The relief keeper gets this program on a cassette, `character.wav`, which has been in the sea air for years.

        cpu 8085

        if !defined(tenth)
tenth   equ 100                 ; milliseconds; smaller for a quick look
        endif

lamps   equ 10h
print   equ 48h                 ; the text at HL up to a zero byte
pause   equ 4Ch                 ; as many milliseconds as C says

        org 4000h
start:  lxi h, book
next:   mov a, m                ; a bit for each tenth: 1 is light
        ora a
        jz done
        mov b, a
        inx h
        push b
        push h
        call print
        pop h
        pop b
skip:   mov a, m
        inx h
        ora a
        jnz skip
        mvi d, 8
turn:   mov a, b
        rlc
        mov b, a
        sbb a                   ; all lamps where the bit was 1
        out lamps
        push b
        push d
        push h
        mvi c, tenth
        call pause
        pop h
        pop d
        pop b
        dcr d
        jnz turn
        jmp next
done:   xra a
        out lamps
        hlt

book:   db 10000000b, "Skerrow Rock: flash 1", 13, 10, 0
        db 10100000b, "Gull Skerry: flash 2", 13, 10, 0
        db 11110000b, "the pier: isophase", 13, 10, 0
        db 0
