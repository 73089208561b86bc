; Skerrow Rock, the notice on the quay: a COM program that writes a text with a marker at its end, by disk service 9.
; `plainbyte run notice --board petrel --trace` shows it to its end.

        cpu 8086
        image com, "notice.com"

        org 100h
start:  mov dx, words         ; the text, in segment DS
        mov ah, 9               ; writes it up to $
        int 21h
        mov ax, 4C00h           ; the program ends with code 0
        int 21h

words: db "Boats keep clear of the rock at low water.", 13, 10, "$"
