; The disk system of gannet, in the last kilobyte of its core.
        cpu 8080

top     equ 1C00h
disk_link equ 40h
con_status equ 20h
con_data equ 21h
con_got equ 01h
con_room equ 02h
con_setup equ 0315h             ; master reset; divided by 16, eight bits, one stop bit

        include "disk-services.asm"
