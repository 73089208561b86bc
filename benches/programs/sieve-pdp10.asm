; Primes below 8192 by striking out multiples; 1028 of them. The count ends in `found`.
        cpu pdp10
number  equ 1
at      equ 2
count   equ 3
        org 200
start:  setom flags             ; all ones: not struck out
        move at, pattern
        blt at, flags + 8191.
        setzb count, found
        movei number, 2
next:   skipn flags(number)
        jrst over
        aos found
        move at, number         ; strike out from twice the number on
        add at, number
strike: cail at, 8192.
        jrst over
        setzm flags(at)
        add at, number
        jrst strike
over:   addi number, 1
        caige number, 8192.
        jrst next
        halt start
found:  dw 0
pattern: halves flags, flags + 1
        org 2000
flags:  ds 8192.
        entry start
