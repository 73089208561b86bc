; {name}: the lamp of Skerrow Rock shows a group of flashes, a pause between groups.

        cpu {processor}

        region rom, $8000, $FFFF, $FF

start:  ldx #$FF                ; the stack
        txs
        lda #$80                ; bit 7 of the port puts out
        sta via.ddrb
        ldy flashes             ; how many to a group
        cycle
        lda #$80                ; light
        jsr show
        lda #0                  ; dark
        jsr show
        dey
        endcycle ne
done:   jmp done

show:   sta via.orb             ; A to the lamp, for 200 milliseconds
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

        org vector.nmi
        dw ignore               ; the interrupt key
        dw start                ; reset
        dw ignore               ; the chips

        org $FF00
ignore: rti
