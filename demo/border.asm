; Skerrow Rock: the border of the screen runs through the colours until a key is pressed. Nothing in it depends on where it
; stands: the same bytes run at any address, in the screen's memory, too.

        cpu 6502
        org $1000

border  equ $DF00               ; the video generator's colour of the border
look    equ $E006               ; firmware: a key that waits, or 0

again:  inc border
        ldx #200                ; a thousand cycles are sixteen lines of the picture
delay:  dex
        bne delay
        jsr look
        beq again
        rts
