; Bubble sort of 250 bytes that stand in falling order.
        cpu z80
        org 100h
start:  ld hl, data
        ld b, 250
make:   ld (hl), b
        inc hl
        djnz make
        ld d, 249
pass:   ld hl, data
        ld b, d
        ld c, 0
pair:   ld a, (hl)
        inc hl
        cp (hl)
        jr c, next
        jr z, next
        ld e, (hl)
        ld (hl), a
        dec hl
        ld (hl), e
        inc hl
        inc c
next:   djnz pair
        ld a, c
        or a
        jr z, done
        dec d
        jr nz, pass
done:   halt
        org 2000h
data:   ds 250
