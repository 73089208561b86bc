; Primes below 8192 by striking out multiples; 1028 of them with 1 left out. The count ends in `found`.
        cpu 8080
size    equ 8192
        org 100h
start:  lxi h, flags
        lxi b, size
fill:   mvi m, 1
        inx h
        dcx b
        mov a, b
        ora c
        jnz fill
        lxi b, 2                ; the number
        lxi d, 0                ; how many
next:   lxi h, flags
        dad b
        mov a, m
        ora a
        jz skip
        inx d
        dad b                   ; strike out from twice the number on
strike: mov a, h
        cpi high(flags + size)
        jnc skip
        mvi m, 0
        dad b
        jmp strike
skip:   inx b
        mov a, b
        cpi high size
        jc next
        xchg
        shld found
        hlt
found:  ds 2
        org 2000h
flags:  ds size
