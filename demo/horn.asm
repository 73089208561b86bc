; The fog horn's pattern on the program lights of the 8080 machine: two blasts in half a minute, an eighth of it to a light. The
; pattern goes round from light to light while the horn sounds as the leftmost light says.
        cpu 8080
        org 0
start:  mvi a, pattern
turn:   out 11h         ; the program lights
        rlc
        lxi b, pauses
pause:  dcx b           ; 24 T-states a turn
        mov d, a        ; the pattern is kept while BC is looked at
        mov a, b
        ora c
        mov a, d
        jnz pause
        jmp turn
pattern equ 11000110b
pauses  equ 5000
        entry start
