; Carried routines for the Z80: the registers and memory, for looking at a program from inside.
;
; Needs print.asm, and what that needs.

        space dump

; A, the flags, BC, DE, HL and SP in hex, in a line of their own. Changes nothing.
registers: push hl
        push de
        push bc
        push af
        ld hl, .names
        call print.zero
        pop hl                  ; A and the flags
        push hl
        call print.hex_word
        ld a, ' '
        call put_character
        pop af
        pop hl
        push hl
        push af
        call .pair              ; BC
        pop af
        pop bc
        pop hl
        push hl
        push bc
        push af
        call .pair              ; DE
        pop af
        pop bc
        pop de
        pop hl
        push hl
        push de
        push bc
        push af
        call .pair              ; HL
; SP as it was: four pairs and the address to return to are above it, five words as wide as the one in the instruction.
.above: ld hl, 5 * (.added - .above - 1)
.added: add hl, sp
        call print.hex_word
        call print.newline
        pop af
        pop bc
        pop de
        pop hl
        ret

.pair:  call print.hex_word
        ld a, ' '
        jp put_character

.names: db "AF   BC   DE   HL   SP", 13, 10, 0

; BC cells from HL on, sixteen to a line with their address. Changes A, BC, HL, flags.
memory: ld a, b
        or c
        ret z
        call print.hex_word
        ld d, 16
.cell:  ld a, ' '
        call put_character
        ld a, (hl)
        call print.hex
        inc hl
        dec bc
        ld a, b
        or c
        jp z, .end
        dec d
        jp nz, .cell
.end:   call print.newline
        jp memory

        endspace
