; CRC-32 of 2048 bytes, bit by bit, the reflected polynomial EDB88320h. The result ends in `crc`, low byte first.
        cpu 8080
        org 100h
start:  lxi h, data
        lxi b, 2048
        xra a
make:   mov m, a                ; the data: 0, 7, 14, 21 …
        adi 7
        inx h
        dcx b
        mov d, a
        mov a, b
        ora c
        mov a, d
        jnz make
        lxi h, 0FFFFh
        shld crc
        shld crc + 2
        lxi h, data
        lxi b, 2048
byte:   push b
        mov a, m
        push h
        lxi h, crc
        xra m
        mov m, a
        mvi b, 8
bit:    lxi h, crc + 3
        ora a
        mov a, m
        rar
        mov m, a
        dcx h
        mov a, m
        rar
        mov m, a
        dcx h
        mov a, m
        rar
        mov m, a
        dcx h
        mov a, m
        rar
        mov m, a
        jnc even
        xri 20h
        mov m, a
        inx h
        mov a, m
        xri 83h
        mov m, a
        inx h
        mov a, m
        xri 0B8h
        mov m, a
        inx h
        mov a, m
        xri 0EDh
        mov m, a
even:   dcr b
        jnz bit
        pop h
        pop b
        inx h
        dcx b
        mov a, b
        ora c
        jnz byte
        lxi h, crc
        mvi b, 4
invert: mov a, m
        cma
        mov m, a
        inx h
        dcr b
        jnz invert
        hlt
crc:    ds 4
        org 2000h
data:   ds 2048
