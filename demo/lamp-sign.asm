; Skerrow Rock, the sign over the lamp: LAMP in yellow on blue, written straight into the memory of the text screen. A cell is a
; character and after it its attribute: ink below, ground above.
;
; With `long_way` defined every cell has instructions of its own; otherwise a loop copies them. `plainbyte build lamp-sign --sizes` tells
; what that saves. With `forgotten` defined the origin is left out, and the sign is not what it should be.

        cpu 8086
        image com, "lamp-sign.com"

video   equ 0B800h              ; segment of the screen's memory
place   equ (10 * 80 + 36) * 2  ; line 10, column 36
yellow  equ 1Eh                 ; on blue

        if !defined(forgotten)
        org 100h                ; where a COM program is loaded
        else
        org 0
        endif

start:  mov ax, video
        mov es, ax
        if defined(long_way)
        mov byte es:[place], 'L'
        mov byte es:[place + 1], yellow
        mov byte es:[place + 2], 'A'
        mov byte es:[place + 3], yellow
        mov byte es:[place + 4], 'M'
        mov byte es:[place + 5], yellow
        mov byte es:[place + 6], 'P'
        mov byte es:[place + 7], yellow
        else
        mov si, letters
        mov di, place
        mov cx, length
        mov ah, yellow
        cld
        cycle
        lodsb                   ; a letter to AL
        stosw                   ; with its attribute to the screen
        endcycle loop
        endif
        ret                     ; a COM program may end so

        if !defined(long_way)
letters: db "LAMP"
length  equ $ - letters
        endif
