; The disk system of curlew, in the instructions of the 8080, which the Z80 runs.
        cpu 8080

top     equ 0DC00h
disk_link equ 40h
con_status equ 22h
con_data equ 20h
con_got equ 01h
con_room equ 04h
con_setup equ 0                 ; the monitor has set it up

        include "disk-services.asm"
