; Bubble sort of 250 words that stand in falling order.
        cpu pdp10
size    equ 250.
at      equ 1
word    equ 2
swaps   equ 3
last    equ 4
        org 200
start:  movei word, size
        move at, cells
make:   movem word, (at)
        subi word, 1
        aobjn at, make
        movei last, size - 1
pass:   setz swaps,
        movn at, last
        hrlz at, at
        hrri at, data
pair:   move word, (at)
        camg word, 1(at)
        jrst kept
        exch word, 1(at)
        movem word, (at)
        addi swaps, 1
kept:   aobjn at, pair
        jumpe swaps, done
        sojg last, pass
done:   halt start
cells:  halves -size, data
        org 2000
data:   ds size
        entry start
