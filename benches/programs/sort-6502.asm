; Bubble sort of 250 bytes that stand in falling order.
        cpu 6502
last    equ $10
swaps   equ $11
        org $200
start:  ldx #0
        lda #250
make:   sta data, x
        sec
        sbc #1
        inx
        cpx #250
        bne make
        lda #249
        sta last
pass:   ldx #0
        stx swaps
pair:   lda data, x
        cmp data + 1, x
        bcc next
        beq next
        tay
        lda data + 1, x
        sta data, x
        tya
        sta data + 1, x
        inc swaps
next:   inx
        cpx last
        bne pair
        lda swaps
        beq done
        dec last
        bne pass
done:   jmp done
        org $2000
data:   ds 250
