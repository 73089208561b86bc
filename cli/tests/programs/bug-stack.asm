; Skerrow Rock: blinks the lamps, and runs astray.
        cpu 8085
        org 4000h
        lxi sp, 7F00h
        mvi a, 0FFh
        lxi b, 1234h
        call show
        mvi a, 0
        call show
        hlt
show:   push b
        out 10h
        mvi b, 9
wait:   dcr b
        jnz wait
        ret
