; {name}: the lamp of Skerrow Rock shows a group of flashes, and the console tells each. A COM program.

        cpu {processor}
        image com, "{name}.com"

        org 100h
start:  mov cx, [flashes]       ; how many to a group
        cycle
        mov dx, flash
        mov ah, 9               ; writes the text at DX up to $
        int 21h
        endcycle loop
        mov ax, 4C00h           ; the program has ended, with code 0
        int 21h

flash:  db "flash", 13, 10, "$"
flashes: dw 3
