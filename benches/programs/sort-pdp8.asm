; Bubble sort of 250 words that stand in falling order.
        cpu pdp8
size    equ 250.
        org 200
start:  cla cll
        tad #-size
        dca left
        tad #1777
        dca 10
        tad #size
        dca first
make:   tad first
        dca i 10
        cla cma
        tad first
        dca first
        isz left
        jmp make
        tad #1 - size
        dca last
pass:   dca swaps
        tad #data
        dca at
        tad #data + 1
        dca after
        tad last
        dca left
pair:   tad i at
        cia
        tad i after
        sma cla
        jmp next
        tad i at
        dca first
        tad i after
        dca i at
        tad first
        dca i after
        isz swaps
next:   isz at
        isz after
        isz left
        jmp pair
        tad swaps
        sna cla
        hlt
        isz last
        jmp pass
        hlt
first:  dw 0
last:   dw 0
left:   dw 0
swaps:  dw 0
at:     dw 0
after: dw 0
        org 2000
data:   ds size
        entry start
