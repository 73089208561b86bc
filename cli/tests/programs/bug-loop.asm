; Skerrow Rock: boats of five days. One day is missing.
        cpu 8085
        org 4000h
        lxi sp, 7F00h
        xra a
        mvi c, 4
        lxi h, days
again:  add m
        inx h
        dcr c
        jnz again
        sta boats
        hlt
days:   db 3, 1, 4, 1, 5
boats:  db 0
