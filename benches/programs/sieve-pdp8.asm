; Primes below 2048 by striking out multiples; 309 of them. The count ends in `found`.
        cpu pdp8
        org 200
start:  cla cll
        tad #-4000
        dca left
        tad #1777
        dca 10
fill:   cla iac
        dca i 10
        isz left
        jmp fill
        dca found
        cla iac ral
        dca number
next:   tad number              ; the flag of the number
        tad #flags
        dca at
        tad i at
        sna cla
        jmp skip
        isz found
strike: cll                     ; strike out from twice the number on
        tad at
        tad number
        dca at
        szl
        jmp skip                ; past the end of the field
        tad at
        tad #2000               ; less 6000
        sma cla
        jmp skip
        dca i at
        jmp strike
skip:   isz number
        tad number
        tad #-4000
        sza cla
        jmp next
        hlt
found:  dw 0
number: dw 0
at:     dw 0
left:   dw 0
        org 2000
flags:  ds 4000
        entry start
