; Skerrow Rock: oil for the week. The sum is wrong.
        cpu 8085
        org 4000h
        mvi c, 3
        lxi h, tanks
again:  add m
        inx h
        dcr c
        jnz again
        sta litres
        hlt
tanks:  db 18, 25, 40
litres: db 0
