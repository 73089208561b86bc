; Skerrow Rock: copies the log, and then does something else.
        cpu 8085
        org 4000h
        lxi d, log
        lxi h, again - 2
        mvi c, 6
again:  ldax d
        mov m, a
        inx d
        inx h
        dcr c
        jnz again
        hlt
log:    db 1, 2, 3, 4, 5, 6
