; entries: the keeper's log goes out through the serial chip of curlew, character by character, each as soon as the status says that
; the transmitter takes one.

        cpu z80

data    equ 20h                 ; the serial chip's channel A
status  equ 22h
room    equ 2                   ; status: the transmitter's buffer is empty

        org 100h
start:  ld hl, log
.next:  ld a, (hl)
        or a
        jr z, .end
        call put
        inc hl
        jr .next
.end:   halt

put:    push af
        cycle
        in a, (status)
        bit room, a
        endcycle z
        pop af
        out (data), a
        ret

log:    db "Skerrow Rock, the keeper's log\r\n"
        db "03:10 lamp trimmed, oil at 41\r\n"
        db "04:25 fog from the west, signal started\r\n"
        db "06:40 fog lifted, two boats passed\r\n", 0
