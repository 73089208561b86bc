; {name}: passages of boats at Skerrow Rock, added up.

        cpu {processor}

        org 100h
start:  ld hl, passages
        ld b, days
        xor a
        cycle
        add a, (hl)
        inc hl
        dec b
        endcycle nz
        ld (total), a
        halt

passages: db 3, 0, 5, 2, 1, 4, 6
days    equ $ - passages
total:  ds 1
