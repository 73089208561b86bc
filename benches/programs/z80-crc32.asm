; CRC-32 of 2048 bytes, bit by bit, the reflected polynomial EDB88320h, held in B, C, D, E from the highest byte down.
; The result ends in `crc`, low byte first.
        cpu z80
        org 100h
start:  ld sp, 8000h
        ld hl, data
        ld bc, 2048
        xor a
make:   ld (hl), a              ; the data: 0, 7, 14, 21 …
        add a, 7
        inc hl
        dec bc
        ld d, a
        ld a, b
        or c
        ld a, d
        jr nz, make
        ld bc, 0FFFFh
        ld de, 0FFFFh
        ld hl, data
byte:   ld a, (hl)
        xor e
        ld e, a
        inc hl
        push hl
        ld h, 8                 ; bits
each:   srl b
        rr c
        rr d
        rr e
        jr nc, even
        ld a, e
        xor 20h
        ld e, a
        ld a, d
        xor 83h
        ld d, a
        ld a, c
        xor 0B8h
        ld c, a
        ld a, b
        xor 0EDh
        ld b, a
even:   dec h
        jr nz, each
        pop hl
        ld a, h
        cp high(data + 2048)
        jr nz, byte
        ld a, e
        cpl
        ld l, a
        ld a, d
        cpl
        ld h, a
        ld (crc), hl
        ld a, c
        cpl
        ld l, a
        ld a, b
        cpl
        ld h, a
        ld (crc + 2), hl
        halt
crc:    ds 4
        org 2000h
data:   ds 2048
