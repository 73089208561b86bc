; The keeper's paces, on the 36-bit machine: two words to be keyed in at the panel. The first counts a cell up, the second goes
; back to it. There is no end: the operator stops it, looks at the cell, clears it and lets it go on.
        cpu pdp10
        org 100
start:  aos paces       ; one more
        jrst start
paces   equ 200
        entry start
