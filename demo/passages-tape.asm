; Boat passages at Skerrow Rock, on the 12-bit machine: counts the frames of a tape, one for each boat that passed,
; prints the number in octal on the teleprinter, and punches it as a tape of its own.
        cpu pdp8
        org 200

start:  cla cll
        dca boats
        rfc                 ; fetch the first frame
frame:  jms wait            ; for the reader, or for the end of the tape
        jmp ended
        rrb                 ; what stands in the frame does not matter
        cla cll
        isz boats
        rfc
        jmp frame

ended:  tad boats
        jms octal
        tad #15             ; carriage return, line feed
        jms print
        tad #12
        jms print
        tad boats
        ppc                 ; the low bits of the number as a frame
        hlt

; Comes back after the call where no frame comes for a while, else one further.
wait:   dw 0
        cla
        dca patience
ready:  rsf
        jmp later
        isz wait
        jmp i wait
later:  isz patience
        jmp ready
        jmp i wait
patience: dw 0

; Prints the accumulator as four octal digits.
octal:  dw 0
        dca value
        tad #-4
        dca digits
digit:  tad value
        cll ral             ; three bits to the left end, then round to the right
        rtl
        dca value
        tad value
        ral
        and #7
        tad #60
        jms print
        isz digits
        jmp digit
        cla cll
        jmp i octal
digits: dw 0
value:  dw 0

; Prints the character in the accumulator and clears it.
print:  dw 0
        tls
        tsf
        jmp $-1
        cla cll
        jmp i print

boats:  dw 0
        entry start
