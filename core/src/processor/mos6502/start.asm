; {name}: passages of boats at Skerrow Rock, added up.

        cpu {processor}

        org $200
start:  ldx #0
        txa
        cycle
        clc
        adc passages, x
        inx
        cpx #days
        endcycle ne
        sta total
done:   jmp done

passages: db 3, 0, 5, 2, 1, 4, 6
days    equ $ - passages
total:  ds 1
