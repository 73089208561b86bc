; Skerrow Rock, oil: the meters of two tanks have 32 bits each. They are added in halves of 16, the carry in between;
; what the station burnt since the last delivery is the sum less what was noted then.

        cpu 8086
        org 100h

start:  mov ax, [east]          ; the low halves
        mov dx, [east + 2]      ; and the high ones
        add ax, [west]
        adc dx, [west + 2]      ; with the carry of the low ones
        mov [total], ax
        mov [total + 2], dx
        sub ax, [noted]
        sbb dx, [noted + 2]     ; with the borrow
        mov [burnt], ax
        mov [burnt + 2], dx
        hlt

east:   dd 70000                ; litres
west:   dd 190000
noted:  dd 200000
total:  ds 4
burnt:  ds 4
