; {name}: the lamp of Skerrow Rock shows a group of flashes, a pause between groups.

        cpu {processor}

        org 4000h
start:  lda flashes             ; how many to a group
        mov b, a
        cycle
        mvi a, 0FFh             ; light
        call show
        xra a                   ; dark
        call show
        dcr b
        endcycle nz
        hlt

show:   out lamps               ; the port of the lamps, for a fifth of a second
        mvi c, 200
        jmp pause               ; the firmware waits as many milliseconds as C says

flashes: db 3
