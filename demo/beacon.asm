; The same light with a subroutine for the pause, and a routine for the interrupt key that counts: both need the stack, and
; the stack needs RAM.

        cpu 6502

via     equ $7F00               ; the port chip of the board
orb     equ via + 0             ; port B: the lamp hangs on bit 7
ddrb    equ via + 2             ; its directions
presses equ $10                 ; how often the key was pressed

        region rom, $8000, $FFFF, $FF

start:  ldx #$FF                ; the stack
        txs
        lda #$FF                ; port B puts out
        sta ddrb
        lda #0
        sta presses
again:  lda #$80
        sta orb                 ; light
        jsr pause
        lda #$00
        sta orb                 ; dark
        jsr pause
        jmp again

pause:  ldx #200                ; a quarter of a second
        cycle
        ldy #0
        cycle
        dey
        endcycle ne
        dex
        endcycle ne
        rts

key:    inc presses
        rti

        org $FFFA
        dw key                  ; the interrupt key
        dw start                ; reset
        dw key                  ; the chips
