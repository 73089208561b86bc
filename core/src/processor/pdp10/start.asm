; {name}: adds two numbers and stops with the sum in accumulator 1.
        cpu {processor}
        org 100
start:  move 1, first
        add 1, second
        movem 1, sum
        halt start
first:  dw 5
second: dw 7
sum:    dw 0
        entry start
