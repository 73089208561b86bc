; A loader short enough to be keyed in: reads a tape on which each word has its address. Start it at 7740 with the tape in the
; reader; at the end of the tape the reader waits, and the operator stops the machine.
        cpu pdp8
        org 7740
next:   jms frame
        cll rtl                 ; channel 7 comes into the link: an address
        rtl
        rtl
        snl
        jmp next                ; leader, trailer
        dca where               ; its upper half
        jms frame
        tad where
        dca where
        jms frame
        cll rtl                 ; the upper half of the word
        rtl
        rtl
        dca word
        jms frame
        tad word
        dca i where
        jmp next
frame:  dw 0                    ; the next frame in the accumulator
        cla
        rfc
        rsf
        jmp $-1
        rrb
        jmp i frame
where:  dw 0
word:   dw 0
        entry next
