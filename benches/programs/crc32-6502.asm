; CRC-32 of 2048 bytes, bit by bit, the reflected polynomial EDB88320h, held in `crc`, low byte first.
        cpu 6502
crc     equ $10
at      equ $14
        org $200
start:  lda #low data           ; the data: 0, 7, 14, 21 …
        sta at
        lda #high data
        sta at + 1
        ldx #8
        ldy #0
        tya
        clc
make:   sta (at), y
        adc #7
        clc
        iny
        bne make
        inc at + 1
        dex
        bne make
        lda #$FF
        sta crc
        sta crc + 1
        sta crc + 2
        sta crc + 3
        lda #high data
        sta at + 1
byte:   lda (at), y
        eor crc
        sta crc
        ldx #8                  ; bits
shift:  lsr crc + 3
        ror crc + 2
        ror crc + 1
        ror crc
        bcc even
        lda crc
        eor #$20
        sta crc
        lda crc + 1
        eor #$83
        sta crc + 1
        lda crc + 2
        eor #$B8
        sta crc + 2
        lda crc + 3
        eor #$ED
        sta crc + 3
even:   dex
        bne shift
        iny
        bne byte
        inc at + 1
        lda at + 1
        cmp #high(data + 2048)
        bne byte
        ldx #3
flip:   lda crc, x
        eor #$FF
        sta crc, x
        dex
        bpl flip
done:   jmp done
        org $2000
data:   ds 2048
