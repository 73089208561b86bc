; Skerrow Rock, the first evening: show which of the eight lamps of the lower gallery are due for a new wick.
; A set bit in `checked` is a lamp that was looked after; the others light up on the board.

        cpu 8085

lamps   equ 10h                 ; the row of lamps

        org 4000h
start:  mvi a, 10110010b        ; checked today: lamps 7, 5, 4 and 1
        cma                     ; what is left is due
        out lamps
        hlt
