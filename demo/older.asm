; Skerrow Rock, tides, an older version: puts the five heights of the week into order, lowest first.
; Bubble sort with an exchange flag: a pass without an exchange is the last one.

        cpu 8085

        org 4000h
start:  lda count
        dcr a
        jm done                 ; nothing to sort
        jz done                 ; a single height is in order
        mov d, a                ; pairs in a pass
pass:   lxi h, heights
        mov c, d
        mvi b, 0                ; no exchange yet
pair:   mov a, m
        inx h
        cmp m
        jc next                 ; lower than its neighbour: in order
        mov e, m                ; exchange the two
        mov m, a
        dcx h
        mov m, e
        inx h
        inr b
next:   dcr c
        jnz pair
        mov a, b
        ora a
        jz done                 ; no exchange: sorted
        dcr d                   ; the highest is at the end now
        jnz pass
done:   hlt

        org 4100h
count:  db 5
heights:
        db 38, 12, 45, 27, 19   ; decimetres
