; {name}: the lamp of Skerrow Rock shows a group of flashes, and the console tells each. An EXE program: three parts, each a segment.

        cpu {processor}
        image exe, "{name}.exe"
        entry start

        stack 200h

        part data
flash:  db "flash", 13, 10, "$"
flashes: dw 3

        part code
start:  mov ax, seg flashes     ; DS leads to the data only when the program says so
        mov ds, ax
        mov cx, [flashes]       ; how many to a group
        cycle
        mov dx, flash
        mov ah, 9               ; writes the text at DX up to $
        int 21h
        endcycle loop
        mov ax, 4C00h           ; the program has ended, with code 0
        int 21h
