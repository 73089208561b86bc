; A loader for the 36-bit machine, short enough to be keyed in: reads a tape in blocks and goes where its last word says. A block
; is a word with minus the number of its words and the address before the first one, the words, and the sum of all of them. Where
; a sum is wrong it stops; with the tape put in again it is started anew.
        cpu pdp10
        org 40
start:  cono ptr, 60        ; binary; the first word is fetched
block:  jsp 2, word
        jumpge 1, go        ; it is the jump at the end
        move 3, 1           ; minus the number, and the address before the first
        move 4, 1           ; the sum so far
next:   jsp 2, word
        movem 1, 1(3)
        add 4, 1
        aobjn 3, next
        jsp 2, word         ; the sum on the tape
        came 1, 4
        halt start
        jrst block
go:     xct 1
word:   conso ptr, 10       ; until six frames are there
        jrst word
        datai ptr, 1        ; and the next six are fetched
        jrst (2)
        entry start
