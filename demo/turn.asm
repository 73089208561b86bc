; The lamp's character on the program lights of the 36-bit machine: group flashing three, turned round bit by bit. The data
; switches, where one is up, give another character. The loop between two turns takes a tenth of a second.
        cpu pdp10
        org 100
start:  move 1, group
again:  datao pi, 1         ; the program's lights
        datai apr, 2        ; the data switches
        skipe 2             ; all down: the character stays
        move 1, 2
        movsi 3, -pauses
        aobjn 3, $          ; counts both halves until the left one is zero
        rot 1, 1
        jrst again
pauses  equ 50000.
group:  dw 707070000000     ; three flashes of three, and the dark
        entry start
