; Skerrow Rock, the oil: a source with mistakes in it, to see how they are told.
        cpu 8085
        org 4000h
        mvo b, a                ; no such instruction
        lda oyl                 ; a slip in a name
again:  sui 256                 ; more than a byte holds
        jmp agian
oil:    db 100
