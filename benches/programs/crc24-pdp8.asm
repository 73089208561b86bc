; CRC-24 of 512 bytes, bit by bit, the polynomial 864CFBh from B704CEh, in `upper` and `lower`.
        cpu pdp8
        org 200
start:  cla cll
        tad #-1000              ; the data: 0, 7, 14, 21 …
        dca left
        tad #1777
        dca 10
        dca value
make:   tad value
        and #377
        dca i 10
        tad value
        tad #7
        dca value
        isz left
        jmp make
        tad #-1000
        dca left
        tad #1777
        dca 10
        tad #0xB70
        dca upper
        tad #0x4CE
        dca lower
byte:   tad i 10                ; the byte above the upper half
        cll rtl
        rtl
        dca value
        tad value
        and upper
        cll ral
        cia
        tad upper
        tad value
        dca upper
        tad #-10
        dca bits
shift:  tad lower
        cll ral
        dca lower
        tad upper
        ral
        dca upper
        snl
        jmp even
        tad upper                ; exclusive or: the sum less what both have, twice
        and #0x864
        cll ral
        cia
        tad upper
        tad #0x864
        dca upper
        tad lower
        and #0xCFB
        cll ral
        cia
        tad lower
        tad #0xCFB
        dca lower
even:   isz bits
        jmp shift
        isz left
        jmp byte
        hlt
upper:   dw 0
lower:    dw 0
value:  dw 0
bits:   dw 0
left:   dw 0
        org 2000
data:   ds 1000
        entry start
