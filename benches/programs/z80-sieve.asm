; Primes below 8192 by striking out multiples; 1028 of them with 1 left out. The count ends in `found`.
        cpu z80
size    equ 8192
        org 100h
start:  ld hl, flags
        ld bc, size
fill:   ld (hl), 1
        inc hl
        dec bc
        ld a, b
        or c
        jr nz, fill
        ld bc, 2                ; the number
        ld de, 0                ; how many
next:   ld hl, flags
        add hl, bc
        ld a, (hl)
        or a
        jr z, skip
        inc de
        add hl, bc              ; strike out from twice the number on
strike: ld a, h
        cp high(flags + size)
        jr nc, skip
        ld (hl), 0
        add hl, bc
        jp strike
skip:   inc bc
        ld a, b
        cp high size
        jr c, next
        ld (found), de
        halt
found:  ds 2
        org 2000h
flags:  ds size
