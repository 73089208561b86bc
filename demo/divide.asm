; Skerrow Rock, oil: how many nights does the oil last, and how much is left over?
; Divides two bytes by repeated subtraction. The carry of the subtraction that goes too far ends the loop.

        cpu 8085

        org 4000h
start:  lda burnt               ; litres a night
        mov b, a
        mvi c, 0                ; nights
        ora a
        jz never                ; nothing burnt: it would last for ever
        lda oil                 ; litres in the tank
again:  sub b
        jc done                 ; one night too many
        inr c
        jmp again
done:   add b                   ; give the last night back
        sta left
        mov a, c
        sta nights
        hlt

never:  cma                     ; 0FFh in both results says "no answer"
        sta nights
        sta left
        hlt

        org 4100h
oil:    db 197
burnt:  db 12
nights: ds 1
left:   ds 1
