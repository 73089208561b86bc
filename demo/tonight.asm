; Skerrow Rock, the cassette that the keeper leaves for the night: which lights are shown, and how far one sees. It is loaded by the
; words of the home computer's monitor, prints its page and comes back.
;
;     plainbyte panel --board fulmar --script tonight.panel

        cpu 6502
        org $1000

print   equ $E000               ; firmware: prints the character in A
border  equ $E00F               ; gives the border the colour A
number  equ $E012               ; prints A as a decimal number
write   equ $E01B               ; prints the text at A and 256 times X

lamp    equ 5                   ; the colour of a light that is shown

start:  lda #lamp
        jsr border
        lda #low page
        ldx #high page
        jsr write
        ldy #0
.light: lda shown, y            ; each light: its name, and how often it flashes in a minute
        beq .end
        tax
        lda names - 1, x
        pha
        lda names_high - 1, x
        tax
        pla
        jsr write
        iny
        lda shown, y
        jsr number
        iny
        lda #13
        jsr print
        jmp .light
.end:   lda #low sight
        ldx #high sight
        jsr write
        lda miles
        jsr number
        lda #low over
        ldx #high over
        jmp write

shown:  db 1, 12, 2, 30, 3, 60, 0
miles:  db 11

names:  db low rock, low gull, low pier
names_high: db high rock, high gull, high pier

page:   text zero, "Lights of this night", 13
rock:   text zero, "  Skerrow Rock  flashes "
gull:   text zero, "  Gull Skerry   flashes "
pier:   text zero, "  the pier      flashes "
sight:  text zero, "One sees "
over:   text zero, " miles.", 13
