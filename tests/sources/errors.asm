        cpu 8085
        org 4000h
start:  mvi a, 300
        mvi a, -129
        mvi b
        mvi b, 1, 2
        mvo b, 5
        lda cuont
        mov a, 12h
        mov hl, a
        mov m, m
        inx bc
        push sp
        ldax h
        sta b
        ani 0Bh + b
        jsr start
        ld a, 5
        loopy   dcr a
        jnz .lop
        dsub
        rst 8
        db 1, , 2
        db 256, "ab" + 1, 'xy'
        dw 10000h
        db "open
        db "bad \q"
        db "é"
        sta 0FFGh
        db 12x, 1 / 0, 1 << 64
        db
        equ 5
        org -1
        org 10000h
        pad 4000h
        align 0
        ds -1
        cpu 6800
        include "nosuch.asm"
        include nosuch
count:  db 0
count:  db 1
mov:    nop
a:      nop
.x equ 3
one equ two
two equ one + 1
v let later
later:  nop
        demand later == 0, "later must be nought"
        demand 1 == 1, "never told"
        note "the gale gives way at dawn"
        entry start
        entry later
        else
        endif
        if nowhere
        nop
        else
        else
        endif
bad: equ 5
        hlt hlt
        # what
        mvi a, #5
        lda [start]
        if 1
        nop
