; Two results on the console and the lamps.
        cpu 8085
        org 4000h
start:  in 11h
        mov b, a
        call blink
        sta level
        hlt
blink:  cma
        out 10h
        ret
level:  ds 1
