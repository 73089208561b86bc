; {name}: the lamp of Skerrow Rock shows a group of flashes, and the console tells each. A boot sector: the firmware alone is there.

        cpu {processor}
        image boot, "{name}.img"

        org 7C00h
start:  xor ax, ax
        mov ds, ax
        mov cx, [flashes]       ; how many to a group
        cycle
        mov si, flash
        call show
        endcycle loop
stop:   jmp stop

show:   lodsb                   ; the text at SI up to a zero byte
        or al, al
        jz .end
        mov ah, 0Eh
        int 10h
        jmp show
.end:   ret

flash:  db "flash", 13, 10, 0
flashes: dw 3
