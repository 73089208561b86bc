; Skerrow Rock: the boats that passed on each day of a week, as bars on the screen.

        cpu 6502
        org $1000

; The firmware of the home computer.
print   equ $E000
clear   equ $E009
colour  equ $E00C
border  equ $E00F
number  equ $E012
write   equ $E01B
place   equ $E01E

block   equ 127
days    equ 7

chalk   equ $14                 ; ink, and 16 times the ground: slate
sky     equ $1C
lamp    equ $15

        lda #11                 ; deep water around it
        jsr border
        lda #chalk
        jsr colour
        jsr clear
        lda #low title
        ldx #high title
        jsr write
        ldx #0
        cycle
        stx day
        txa                     ; a line for each day, from the fourth on
        asl a
        clc
        adc #3
        tay
        ldx #2
        jsr place
        lda #chalk
        jsr colour
        ldx day
        lda names, x
        jsr print
        lda #' '
        jsr print
        lda #sky
        ldy boats, x
        cpy #20                 ; a busy day
        when cs
        lda #lamp
        endwhen
        jsr colour
        cycle
        lda #block
        jsr print
        dey
        endcycle ne
        lda #' '
        jsr print
        lda boats, x
        jsr number
        inx
        cpx #days
        endcycle ne
        lda #chalk
        jsr colour
        ldx #0
        ldy #19
        jmp place

title:  text zero, 13, "  boat passages, a week in autumn"
names:  db "MTWTFSS"
boats:  db 12, 7, 23, 18, 3, 26, 9
day:    ds 1
