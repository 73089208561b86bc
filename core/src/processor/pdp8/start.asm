; {name}: adds two numbers and stops with the sum in the accumulator.
        cpu {processor}
        org 200
start:  cla cll
        tad first
        tad second
        dca sum
        tad sum
        hlt
        jmp start
first:  dw 5
second: dw 7
sum:    dw 0
        entry start
