; {name}: the lamp character of Skerrow Rock on the screen, flash by flash.

        cpu {processor}

lamp    equ 1                   ; a sign of the character set

        org $1000
start:  lda #low title
        ldx #high title
        jsr write               ; the firmware prints the text at A and 256 times X
        ldx flashes
        cycle
        lda #lamp
        jsr print
        dex
        endcycle ne
        lda #' '
        jsr print
        lda flashes
        jsr number              ; and A as a decimal number
        lda #13
        jmp print               ; and from there back to the monitor

title:  text zero, "Skerrow Rock "
flashes: db 3
