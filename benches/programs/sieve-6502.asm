; Primes below 8192 by striking out multiples; 1028 of them with 1 left out. The count ends in `found`.
        cpu 6502
size    equ 8192
number  equ $10                 ; words in page zero
flag    equ $12
        org $100
        jmp start
found:  dw 0
        org $200
start:  lda #low flags
        sta flag
        lda #high flags
        sta flag + 1
        ldx #high size
        ldy #0
        lda #1
fill:   sta (flag), y
        iny
        bne fill
        inc flag + 1
        dex
        bne fill
        lda #2
        sta number
        stx number + 1
next:   lda number              ; the flag of the number
        sta flag
        clc
        lda number + 1
        adc #high flags
        sta flag + 1
        lda (flag), y
        beq skip
        inc found
        bne strike
        inc found + 1
strike: clc                     ; strike out from twice the number on
        lda flag
        adc number
        sta flag
        lda flag + 1
        adc number + 1
        sta flag + 1
        cmp #high(flags + size)
        bcs skip
        tya
        sta (flag), y
        jmp strike
skip:   inc number
        bne same
        inc number + 1
same:   lda number + 1
        cmp #high size
        bcc next
done:   jmp done
        org $2000
flags:  ds size
