; {name}: the lamp character of Skerrow Rock on the screen, flash by flash.

        cpu {processor}

print   equ $E000               ; firmware: the character in A
number  equ $E012               ; A as a decimal number
write   equ $E01B               ; the text at A and 256 times X

lamp    equ 1                   ; a sign of the character set

        org $1000
start:  lda #low title
        ldx #high title
        jsr write
        ldx flashes
        cycle
        lda #lamp
        jsr print
        dex
        endcycle ne
        lda #' '
        jsr print
        lda flashes
        jsr number
        lda #13
        jmp print               ; and from there back to the monitor

title:  text zero, "Skerrow Rock "
flashes: db 3
