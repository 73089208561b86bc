; tern: the resident monitor of the keypad trainer, 4K of ROM at $F000.
;
; A number comes first, then what is done with it. Digits that are typed stand at the right with a = at the left; LOOK takes them for
; an address, PUT puts them into the cell that is looked at and goes on to the next one, RUN and STEP go on there. Without a number
; typed, the two digits at the left show a cell and the four at the right where it is. UP and DOWN go to the neighbours. REGS shows the
; registers of the stopped program one after the other, then its flags, each with its name at the left; PUT changes them, too. A key
; that means nothing where it is pressed is answered with -no-. The monitor keeps two cells of page zero and the RAM of the port chip
; for itself.

        cpu 6502

; The port chip: segments on port A, on port B the digit, the key rows and the step logic.
ram     equ $9E00
pa      equ $9E80
pa_out  equ $9E81
pb      equ $9E82
pb_out  equ $9E83

none_lit equ 7                  ; the line after them
rows    equ %01111000           ; the key rows, low where a key of the selected digit's line is pressed
stepper equ %10000000           ; every instruction outside the ROM pulls the non-maskable interrupt
digits  equ 6
jumper  equ 6                   ; the line after the digits' has the jumper in its first row, and two more keys

; The interrupt vectors, for programs to change.
nmi_vector equ ram + $7C        ; STOP, and the step logic
irq_vector equ ram + $7E        ; interrupt requests and BRK

; The registers of the stopped program, in the order they are shown.
saved   equ ram + $10
pc      equ saved + 0           ; two cells
a_      equ saved + 2
x_      equ saved + 3
y_      equ saved + 4
s_      equ saved + 5
p_      equ saved + 6

mode    equ ram + $20           ; what is shown: one of these
by_cell equ 0
by_register equ 1
chosen  equ ram + $21           ; which register is shown, from 0; flags after the registers
last    equ ram + $22           ; the key of the pass before, and whether it was carried out
done    equ ram + $23
no_time equ ram + $24           ; for so many passes -no- is shown
undo_at equ ram + $25           ; two cells: where the last change was, its old value, and whether there was one
undo_old equ ram + $27
undo_is equ ram + $28
found   equ ram + $29           ; the key of this pass
rest    equ ram + $2A           ; a digit on its way
typed   equ ram + $2C           ; two cells: the number that is typed
typing  equ ram + $2E           ; whether one is
face    equ ram + $30           ; the six digits as segments
broken  equ ram + $2B           ; how many blocks of a tape could not be read
busy    equ ram + $2F           ; bit 7: the tape runs

place   equ $FE                 ; page zero: the address that is shown

none    equ $FF                 ; no key

; Keys in the order of the matrix: digits, then what the others do.
key_look equ 16
key_put equ 17
key_up  equ 18
key_down equ 19
key_run equ 20
key_step equ 21
key_regs equ 22
key_undo equ 23
key_save equ 24
key_load equ 25

flags_from equ 6                ; PC A X Y S P, then the flags
shown_last equ 11

        region rom, $F000, $FFFF, $FF

        jmp reset
stop:   jmp stopped             ; where a vector may lead that somebody sets by hand

reset:  cld
        ldx #$FF
        txs
        lda #$FF                ; segments
        sta pa_out
        lda #~rows & $FF        ; the rows are inputs
        sta pb_out
        lda #0
        ldx #$2F
        cycle
        sta saved, x
        dex
        endcycle pl
        lda #$24                ; interrupt requests are kept away
        sta p_
        lda #$FF
        sta s_
        lda #low $0200
        sta place
        lda #high $0200
        sta place + 1
        lda #none
        sta last
        lda #jumper             ; with the jumper the vectors get their defaults
        sta pb
        lda pb
        and #%00001000
        when eq
        ldx #3
        cycle
        lda defaults, x
        sta nmi_vector, x
        dex
        endcycle pl
        endwhen

ready:  jsr draw
        jsr pass
        jsr key
        jmp ready

defaults: dw stopped, requested

; An interrupt request: BRK stops as the key does, anything else is forgotten.
requested: pha
        txa
        pha
        tsx
        lda $103, x             ; the flags that were pushed
        and #%00010000
        when ne
        pla
        tax
        pla
        jmp stopped
        endwhen
        pla
        tax
        pla
        rti

; The program is stopped: its registers are kept, and its place is shown.
stopped: bit busy
        when mi
        jmp tape_stopped
        endwhen
        sta a_
        lda #0                  ; the step logic is off
        sta pb
        stx x_
        sty y_
        cld
        pla
        sta p_
        pla
        sta pc
        sta place
        pla
        sta pc + 1
        sta place + 1
        tsx
        stx s_
        lda #by_cell
        sta mode
        lda #0
        sta typing
        lda #none
        sta last
        jmp ready

; Goes on with the program at the place shown.
go:     lda #0
        sta pa
        ldx s_
        txs
        lda place + 1
        pha
        lda place
        pha
        lda p_
        pha
        ldx x_
        ldy y_
        lda a_
        rti

step:   lda #stepper | 7        ; no digit is lit meanwhile
        sta pb
        jmp go

; One pass over the digits: each is lit for a millisecond, and its line of keys is looked at. The key is left in `found`.
pass:   lda #none
        sta found
        ldx #0
        cycle
        stx pb
        lda face, x
        sta pa
        ldy #198
        cycle
        dey
        endcycle ne
        lda pb
        eor #$FF
        and #rows
        when ne
        jsr which
        endwhen
        lda #0                  ; dark while the next digit is selected
        sta pa
        inx
        cpx #digits
        endcycle ne
        stx pb                  ; the line with the two keys for the tape
        lda pb
        ldx #none_lit
        stx pb
        lsr a
        lsr a
        lsr a
        lsr a
        lsr a
        ldx #key_save
        bcc tape_key
        lsr a
        inx
        bcc tape_key
        rts
tape_key: stx found
        rts

; The key in row A (a bit from 3 up) and line X.
which:  lsr a
        lsr a
        lsr a
        ldy #0
        cycle
        lsr a
        leave cs
        iny
        endcycle
        stx rest
        lda row_start, y
        clc
        adc rest
        tay
        lda keys, y
        sta found
        rts

row_start: db 0, 6, 12, 18
keys:   db key_look, key_run, $0, $1, $2, $3
        db key_put, key_step, $4, $5, $6, $7
        db key_up, key_regs, $8, $9, $A, $B
        db key_down, key_undo, $C, $D, $E, $F

; Carries a key out that was seen in two passes, once until it is let go.
key:    lda no_time
        when ne
        dec no_time
        endwhen
        lda found
        cmp last
        sta last
        beq steady
        rts
steady: cmp #none
        when eq
        lda #0
        sta done
        rts
        endwhen
        ldx done
        when ne
        rts
        endwhen
        inc done
        ldx #0
        stx no_time
        stx broken
        cmp #key_look
        when cc
        jmp digit
        endwhen
        sbc #key_look
        asl a
        tax
        lda commands + 1, x
        pha
        lda commands, x
        pha
        rts                     ; to the command

commands: dw look - 1, put - 1, up - 1, down - 1, run - 1, step_on - 1, regs - 1, undo - 1
        dw save - 1, fetch - 1

no:     lda #120                ; most of a second
        sta no_time
        rts

; A digit in A goes to the right of the number that is typed.
digit:  sta rest
        ldx typing
        when eq
        stx typed
        stx typed + 1
        inc typing
        endwhen
        ldx #4
        cycle
        asl typed
        rol typed + 1
        dex
        endcycle ne
        lda typed
        ora rest
        sta typed
        rts

; A number that is typed is the address.
take:   lda typing
        when ne
        lda #0
        sta typing
        lda typed
        sta place
        lda typed + 1
        sta place + 1
        endwhen
        rts

look:   jsr take
        lda #by_cell
        sta mode
        rts

; A register that was changed may be the place itself.
run:    jsr take
        pla                     ; it never comes back here
        pla
        jmp go

step_on: jsr take
        pla
        pla
        jmp step

regs:   lda #0
        sta typing
        lda mode
        cmp #by_register
        beq up
        lda #by_register
        sta mode
        lda #0
        sta chosen
        rts

up:     lda #0
        sta typing
        lda mode
        cmp #by_register
        when eq
        inc chosen
        lda chosen
        cmp #shown_last + 1
        when eq
        lda #0
        sta chosen
        endwhen
        rts
        endwhen
        inc place
        when eq
        inc place + 1
        endwhen
        rts

down:   lda #0
        sta typing
        lda mode
        cmp #by_register
        when eq
        dec chosen
        when mi
        lda #shown_last
        sta chosen
        endwhen
        rts
        endwhen
        lda place
        when eq
        dec place + 1
        endwhen
        dec place
        rts

; The number goes into the cell, or into the register.
put:    ldx typing
        when eq
        jmp no
        endwhen
        ldx #0
        stx typing
        lda mode
        cmp #by_register
        beq put_register
        lda typed + 1           ; a cell has room for two digits
        when ne
        jmp no
        endwhen
        ldy #0
        lda (place), y
        tax
        lda typed
        sta (place), y
        cmp (place), y          ; ROM, or nothing at all, does not take it
        beq took
        jmp no
took:   stx undo_old
        lda place
        sta undo_at
        lda place + 1
        sta undo_at + 1
        lda #1
        sta undo_is
        jmp up

put_register: lda typed
        ldx chosen
        when eq
        sta pc
        sta place               ; RUN goes on there
        lda typed + 1
        sta pc + 1
        sta place + 1
        rts
        endwhen
        ldy typed + 1
        when ne
        jmp no
        endwhen
        cpx #flags_from
        bcs put_flag
        sta saved + 1, x        ; PC takes two cells
        rts

put_flag: cmp #2
        bcc set_flag
        jmp no
bit_mask: db $80, $40, $08, $04, $02, $01
set_flag: lda bit_mask - flags_from, x
        eor #$FF
        and p_
        ldy typed
        when ne
        ora bit_mask - flags_from, x
        endwhen
        sta p_
        rts

; The last cell gets its old value back, and the new one can be had the same way.
undo:   lda undo_is
        when eq
        jmp no
        endwhen
        lda undo_at
        sta place
        lda undo_at + 1
        sta place + 1
        ldy #0
        lda (place), y
        tax
        lda undo_old
        sta (place), y
        stx undo_old
        lda #by_cell
        sta mode
        rts

; Puts what is to be seen into `face`.
draw:   lda no_time
        when ne
        ldx #digits - 1
        cycle
        lda refusal, x
        sta face, x
        dex
        endcycle pl
        rts
        endwhen
        lda broken
        when ne
        pha
        ldx #3
        cycle
        lda bad, x
        sta face, x
        dex
        endcycle pl
        pla
        ldx #4
        jmp two
        endwhen
        lda typing
        when ne
        lda #$48                ; =
        sta face
        lda #0
        sta face + 1
        ldx #2
        lda typed + 1
        jsr two
        lda typed
        jmp two
        endwhen
        lda mode
        cmp #by_register
        beq draw_register
        ldx #0
        ldy #0
        lda (place), y
        jsr two
        lda place + 1
        jsr two
        lda place
        jmp two

draw_register: lda #0
        ldx #digits - 1
        cycle
        sta face, x
        dex
        endcycle pl
        lda chosen
        asl a
        tay
        lda names, y
        sta face
        lda names + 1, y
        sta face + 1
        ldx chosen
        when eq
        lda pc + 1
        ldx #2
        jsr two
        lda pc
        jsr two
        otherwise
        cpx #flags_from
        when cc
        lda saved + 1, x
        ldx #4
        jsr two
        otherwise
        lda bit_mask - flags_from, x
        and p_
        when ne
        lda #1
        endwhen
        tay
        lda font, y
        sta face + 5
        endwhen
        endwhen
        rts

; The two digits of A from place X on.
two:    pha
        lsr a
        lsr a
        lsr a
        lsr a
        tay
        lda font, y
        sta face, x
        inx
        pla
        and #$0F
        tay
        lda font, y
        sta face, x
        inx
        rts

font:   db $3F, $06, $5B, $4F, $66, $6D, $7D, $07, $7F, $6F, $77, $7C, $39, $5E, $79, $71
bad:    db $7C, $77, $5E, $00
refusal: db $00, $40, $54, $5C, $40, $00
; Pc rA rH rY rS rP, then the flags Fn Fu Fd Fi F2 Fc: X looks like H, V like U, Z like 2.
names:  db $73, $58, $50, $77, $50, $76, $50, $6E, $50, $6D, $50, $73
        db $71, $54, $71, $1C, $71, $5E, $71, $10, $71, $5B, $71, $58

; ---- the tape: one line for both ways, in place of the digits' points

tape_in equ pa
tape_out equ pa
tape_bit equ %10000000
tape_at equ place
tape_direct equ 1
tape_vars equ ram + $37         ; 37 cells
tape_buffer equ ram + $5C
tape_room equ 28

        include "cassette-6502.asm"

; The number is the last address of what is saved, from the address that is shown on.
save:   lda typing
        beq no_last
        lda typed
        sec
        sbc place
        sta tape_size
        lda typed + 1
        sbc place + 1
        sta tape_size + 1
        bcs save_it
no_last: jmp no
save_it: inc tape_size
        when eq
        inc tape_size + 1
        endwhen
        lda place
        sta tape_first
        sta tape_start
        lda place + 1
        sta tape_first + 1
        sta tape_start + 1
        ldx #0                  ; its name is that address
        lda place + 1
        jsr name_two
        lda place
        jsr name_two
        lda #' '
        cycle
        sta tape_buffer, x
        inx
        cpx #16
        endcycle ne
        lda #0
        sta typing
        sta mode
        sta tape_level
        lda #1
        sta tape_fast
        jsr tape_begin
        jsr tape_save
        lda tape_first
        sta place
        lda tape_first + 1
        sta place + 1
        jmp tape_end

name_two: pha
        lsr a
        lsr a
        lsr a
        lsr a
        jsr name_digit
        pla
        and #$0F
name_digit: cmp #10
        when cs
        adc #6
        endwhen
        adc #'0'
        sta tape_buffer, x
        inx
        rts

; The next program of the tape, or with a number the one that was saved from there on.
fetch:  jsr tape_begin
        lda #%01111111
        sta pa_out
        jsr tape_load
        sta broken
        lda tape_start
        sta place
        lda tape_start + 1
        sta place + 1
        and tape_start
        cmp #$FF
        when eq
        lda tape_first
        sta place
        lda tape_first + 1
        sta place + 1
        endwhen
        lda #0
        sta typing
        sta mode
tape_end: lda #0
        sta busy
        sta pa
        lda #$FF
        sta pa_out
        rts

tape_begin: lda #$80
        sta busy
        lda #none_lit
        sta pb
        rts

; STOP while the tape runs.
tape_stopped: ldx s_
        txs
        jsr tape_end
        jmp ready

tape_check:
tape_missed: rts

tape_allowed: lda tape_at + 1
        cmp #$10
        rts

tape_wanted: lda typing
        when ne
        lda tape_buffer + 17
        cmp typed
        bne not_wanted
        lda tape_buffer + 18
        cmp typed + 1
        bne not_wanted
        endwhen
        clc
        rts
not_wanted: sec
        rts

nmi:    jmp (nmi_vector)
irq:    jmp (irq_vector)

        org $FFFA
        dw nmi
        dw reset
        dw irq
