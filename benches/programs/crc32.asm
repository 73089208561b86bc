; CRC-32 of 2048 bytes, bit by bit, the reflected polynomial EDB88320h, held in B, C, D, E from the highest byte down.
; The result ends in `crc`, low byte first.
        cpu 8080
        org 100h
start:  lxi sp, 8000h
        lxi h, data
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
        lxi b, 0FFFFh
        lxi d, 0FFFFh
        lxi h, data
byte:   mov a, m
        xra e
        mov e, a
        inx h
        push h
        mvi h, 8                ; bits
bit:    mov a, b
        ora a
        rar
        mov b, a
        mov a, c
        rar
        mov c, a
        mov a, d
        rar
        mov d, a
        mov a, e
        rar
        mov e, a
        jnc even
        xri 20h
        mov e, a
        mov a, d
        xri 83h
        mov d, a
        mov a, c
        xri 0B8h
        mov c, a
        mov a, b
        xri 0EDh
        mov b, a
even:   dcr h
        jnz bit
        pop h
        mov a, h
        cpi high(data + 2048)
        jnz byte
        mov a, e
        cma
        mov l, a
        mov a, d
        cma
        mov h, a
        shld crc
        mov a, c
        cma
        mov l, a
        mov a, b
        cma
        mov h, a
        shld crc + 2
        hlt
crc:    ds 4
        org 2000h
data:   ds 2048
