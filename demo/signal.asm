; Signals at Skerrow Rock, on the 8080 machine: the program lights show what the program switches say. The third cell is kept
; free; a complement that is keyed in there later turns every light round.
        cpu 8080
        org 0
start:  in 10h          ; the program switches
        nop             ; kept free for CMA
        out 11h         ; the program lights
        jmp start
        entry start
