; The lamp at dusk, on the 12-bit machine: five words to be keyed in at the panel. The accumulator counts up until it runs over
; and the link lights; then the machine stops. It goes on for another round when it is continued.
        cpu pdp8
        org 200
start:  cll iac         ; one more
        snl             ; did it run over into the link?
        jmp start
        hlt             ; the link is lit: the lamp is on
        jmp start
        entry start
