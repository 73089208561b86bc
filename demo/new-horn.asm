; Skerrow Rock, the fog horn's new PROM: two blasts, a pause, and again, on the ROM board without RAM. The relay of the horn hangs where
; the lamp does. The old PROM knew one blast only.
;
;     plainbyte build new-horn --board puffin --output hex:new-horn.hex
;     plainbyte burn set new-horn --labels labels.svg
;     plainbyte burn new u7 --part 27256 --label "NEW HORN"
;     plainbyte burn program u7 new-horn.hex --base 8000h
;     plainbyte run --board puffin --chip rom=u7.chip --cycles 3s

        cpu 6502

via     equ $7F00               ; the port chip of the board
orb     equ via + 0             ; port B: the relay hangs on bit 7
ddrb    equ via + 2             ; its directions

blast   equ 2                   ; tenths of a second
short   equ 1
pause   equ 5

        region rom, $8000, $FFFF, $FF

; Tenths of a second, with the relay as it is: there is no RAM, so that no subroutine can be called.
        macro tenths count
        ldx #count * 78         ; turns of 5 times 256 cycles
.outer: ldy #0
.inner: dey
        bne .inner
        dex
        bne .outer
        endm

start:  lda #$80                ; the relay puts out
        sta ddrb
again:  copies 2, n
        lda #$80
        sta orb
        tenths blast
        lda #0
        sta orb
        tenths short
        endcopies
        tenths pause - short - short
        jmp again

nothing: rti

        org $FFFA
        dw nothing, start, nothing
