; The light of Skerrow Rock on the ROM board, without RAM: only registers count, so there is no stack and no subroutine.
; The interrupt key shows what becomes of an interrupt that has nowhere to come back to.

        cpu 6502

via     equ $7F00               ; the port chip of the board
orb     equ via + 0             ; port B: the lamp hangs on bit 7
ddrb    equ via + 2             ; its directions

        region rom, $8000, $FFFF, $FF

start:  lda #$FF                ; port B puts out
        sta ddrb
again:  lda #$80
        sta orb                 ; light
        ldx #200                ; 200 turns of 5 times 256 cycles: a quarter of a second
lit:    ldy #0
.inner: dey
        bne .inner
        dex
        bne lit
        lda #$00
        sta orb                 ; dark
        ldx #200
dark:   ldy #0
.inner: dey
        bne .inner
        dex
        bne dark
        jmp again

key:    rti                     ; the interrupt key

        org $FFFA
        dw key                  ; the interrupt key
        dw start                ; reset
        dw key                  ; the chips
