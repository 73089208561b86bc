; Bubble sort of 250 bytes that stand in falling order.
        cpu 8080
        org 100h
start:  lxi h, data
        mvi a, 250
make:   mov m, a
        inx h
        dcr a
        jnz make
        mvi d, 249
pass:   lxi h, data
        mov c, d
        mvi b, 0
pair:   mov a, m
        inx h
        cmp m
        jc next
        jz next
        mov e, m
        mov m, a
        dcx h
        mov m, e
        inx h
        inr b
next:   dcr c
        jnz pair
        mov a, b
        ora a
        jz done
        dcr d
        jnz pass
done:   hlt
        org 2000h
data:   ds 250
