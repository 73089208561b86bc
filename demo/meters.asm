; Skerrow Rock, oil: the meters of two tanks have 32 bits each. They are added in halves of 16, the carry in between;
; what the station burnt since the last delivery is the sum less what was noted then.

        cpu 8086
        image com, "meters.com"

        org 100h
start:  mov ax, [east]          ; the low halves
        mov dx, [east + 2]      ; and the high ones
        add ax, [west]
        adc dx, [west + 2]      ; with the carry of the low ones
        mov [total], ax
        mov [total + 2], dx
        mov si, total_text
        call tell
        sub ax, [noted]
        sbb dx, [noted + 2]     ; with the borrow
        mov [burnt], ax
        mov [burnt + 2], dx
        mov si, burnt_text
        call tell
        mov ax, 4C00h
        int 21h

; The text at SI, and DX:AX litres.
tell:   push ax
        call print.zero
        pop ax
        call print.decimal_long
        mov si, litres
        push ax
        call print.zero
        pop ax
        ret

east:   dw 70000 & 0FFFFh, 70000 >> 16 ; litres
west:   dw 190000 & 0FFFFh, 190000 >> 16
noted:  dw 200000 & 0FFFFh, 200000 >> 16
total:  dw 0, 0
burnt:  dw 0, 0
total_text: db "both meters: ", 0
burnt_text: db "burnt: ", 0
litres: db " litres", 13, 10, 0

        include "routines/8086/print.asm"
