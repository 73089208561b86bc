; {name}: the lamp of Skerrow Rock shows a group of flashes, and the console tells each. A COM program.

        cpu {processor}
        image com, "{name}.com"

write   equ 9                   ; call of the disk system: writes the text at DE up to $

        org 100h
start:  ld a, (flashes)         ; how many to a group
        ld b, a
        cycle
        push bc                 ; a call keeps no register
        ld c, write
        ld de, flash
        call system
        pop bc
        dec b
        endcycle nz
        ret                     ; back to the disk system

flash:  text marker('$'), "flash", 13, 10
flashes: db 3
