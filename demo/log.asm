; The keeper's log of Skerrow Rock on the serial console of the ROM board, with the routines that travel along.

        cpu 65c02

acia    equ $7F80               ; the serial chip: control and status, then data
print_at equ $F0                ; page zero for the routines

        region rom, $8000, $FFFF, $FF

start:  ldx #$FF
        txs
        lda #$03                ; master reset
        sta acia
        lda #$15                ; eight bits, one stop bit, 9600 baud
        sta acia
        lda #low title
        ldy #high title
        jsr print.zero
        jsr print.newline
        ldx #0                  ; a line for each watch
        cycle
        phx
        txa
        clc
        adc #'1'
        jsr put_character
        lda #' '
        jsr put_character
        lda miles, x
        jsr print.decimal
        lda #low unit
        ldy #high unit
        ldx #'$'
        jsr print.marker
        jsr print.newline
        plx
        inx
        cpx #watches
        endcycle ne
done:   bra done

put_character: pha              ; waits until the chip takes it
        cycle
        lda acia
        and #%00000010
        endcycle eq
        pla
        sta acia + 1
        rts

title:  text zero, "watch and visibility"
unit:   text marker('$'), " sea miles"
miles:  db 12, 7, 0, 25
watches equ $ - miles

        include "routines/6502/print.asm"

        org $FFFA
        dw start                ; the interrupt key begins anew
        dw start                ; reset
        dw start                ; the chips
