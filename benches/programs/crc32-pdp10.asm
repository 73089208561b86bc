; CRC-32 of 2048 bytes in four to a word, bit by bit, the reflected polynomial EDB88320h, in `crc`.
        cpu pdp10
sum     equ 1
bits    equ 2
byte    equ 3
left    equ 4
value   equ 5
        org 200
start:  movei left, 2048.       ; the data: 0, 7, 14, 21 …
        setzm value
        move byte, first
        movem byte, to
make:   idpb value, to
        addi value, 7
        sojg left, make
        movem byte, from
        movei left, 2048.
        move sum, ones
next:   ildb byte, from
        xor sum, byte
        movei bits, 8.
shift:  trne sum, 1
        jrst odd
        lsh sum, -1
        sojg bits, shift
        jrst done
odd:    lsh sum, -1
        xor sum, poly
        sojg bits, shift
done:   sojg left, next
        xor sum, ones
        movem sum, crc
        halt start
crc:    dw 0
ones:   dw 0xFFFFFFFF
poly:   dw 0xEDB88320
first:  pointer 8., data
from:   dw 0
to:     dw 0
        org 2000
data:   ds 512.
        entry start
