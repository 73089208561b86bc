; {name}: passages of boats at Skerrow Rock, added up; the program lights show the sum.

        cpu {processor}

        org 0000h
start:  lxi h, passages
        mvi b, days
        xra a
        cycle
        add m
        inx h
        dcr b
        endcycle nz
        sta total
        out program_lights
        hlt

passages: db 3, 0, 5, 2, 1, 4, 6
days    equ $ - passages
total:  ds 1
