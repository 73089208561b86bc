; Skerrow Rock: the height of the tide by a pointer. It brings something else.
        cpu 8085
        org 4000h
        lhld pointer
        mov a, m
        sta height
        hlt
pointer: db high tide, low tide
tide:   db 38
height: db 0
