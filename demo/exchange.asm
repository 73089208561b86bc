; Skerrow Rock, two tide gauges: the east and west readings were entered the wrong way round.
; Stores the hour, then exchanges the two cells through registers.

        cpu 8085

        org 4000h
start:  mvi a, 6                ; the hour of the reading
        sta hour
        lda east
        mov b, a                ; B keeps the east reading
        lda west
        sta east
        mov a, b
        sta west
        hlt

        org 4200h
east:   db 31                   ; decimetres
west:   db 27
hour:   ds 1
