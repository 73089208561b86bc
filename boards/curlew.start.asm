; {name}: the lamp of Skerrow Rock shows a group of flashes, and the console tells each.

        cpu {processor}

        org 100h
start:  ld a, (flashes)         ; how many to a group
        ld b, a
        cycle
        ld a, 0FFh              ; light
        out (lamps), a
        ld hl, flash
        call print_text         ; the monitor prints the text at HL
        xor a                   ; dark
        out (lamps), a
        dec b
        endcycle nz
        ld hl, end
        call print_text
        halt

flash:  text zero, "flash "
end:    text zero, "\r\n"
flashes: db 3
