; {name}: the lamp of Skerrow Rock shows a group of flashes, a pause between groups.

        cpu {processor}

via     equ $7F00               ; the port chip
orb     equ via + 0             ; port B: the lamp hangs on bit 7
ddrb    equ via + 2             ; its directions

        region rom, $8000, $FFFF, $FF

start:  ldx #$FF                ; the stack
        txs
        lda #$80                ; bit 7 puts out
        sta ddrb
        ldy flashes             ; how many to a group
        cycle
        lda #$80                ; light
        jsr show
        lda #0                  ; dark
        jsr show
        dey
        endcycle ne
done:   jmp done

show:   sta orb                 ; A to the lamp, for 200 milliseconds
        lda #200
        cycle
        ldx #198                ; 5 cycles a turn, a millisecond in all
        cycle
        dex
        endcycle ne
        sec
        sbc #1
        endcycle ne
        rts

flashes: db 3

        org $FFFA
        dw ignore               ; the interrupt key
        dw start                ; reset
        dw ignore               ; the chips

        org $FF00
ignore: rti
