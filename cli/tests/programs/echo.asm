        cpu 65c02
        org $8000
acia    equ $7F80
start:  ldx #$FF
        txs
        lda #3
        sta acia
        lda #%00010101
        sta acia
        ldx #0
hello:  lda text_, x
        beq again
        jsr send
        inx
        bra hello
again:  lda acia
        lsr a
        bcc again
        lda acia + 1
        cmp #'q'
        beq done
        jsr send
        bra again
done:   stp
send:   pha
wait:   lda acia
        and #2
        beq wait
        pla
        sta acia + 1
        rts
text_:  text zero, "fog bell ", 13, 10
        org $FFFA
        dw start
        dw start
