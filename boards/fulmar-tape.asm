; fulmar: the words save, load and tape, over the cassette routines. The recorder hangs on the port of the keyboard's lines: PA3 goes to
; the tape, PA4 lets its motor run, PA7 is what the comparator hears.

tape_in equ key_line
tape_out equ key_line
tape_bit equ %00001000
tape_motor equ %00010000
stop_line equ 2                 ; the line of keys with STOP, in the row PB6
tape_at equ at
tape_direct equ 0
tape_vars equ $02C0             ; 37 cells
tape_buffer equ $0340
tape_room equ 192
wish    equ tape_vars + 40      ; where the wanted name stands in the line, or in a text at text_at
wish_is_text equ tape_vars + 41

        include "cassette-6502.asm"

; ---- the interface

; The motor runs, and nobody else has the port.
tape_on: sei
        lda #stop_line | tape_motor
        sta tape_level
        sta key_line
        rts

tape_off: lda #0
        sta key_line
        lda #$81                ; the pictures that went by meanwhile
        sta status
        cli
        rts

tape_check: lda key_rows
        and #%01000000
        when ne
        rts
        endwhen
        jsr tape_off
        lda #low tape_stop_text
        ldx #high tape_stop_text
        jmp complain

; Programs go to RAM in front of the ROM, and not to the firmware's own pages.
tape_allowed: lda tape_at + 1
        sec
        sbc #4
        cmp #$80 - 4
        rts

tape_missed: lda #low block_text
        ldx #high block_text
        jsr write
        lda tape_expected
        ldx tape_expected + 1
        jsr word
        lda #low broken_text
        ldx #high broken_text
        jsr write
        jmp new_line

; Shows a header; C where it has another name than was wished for.
tape_wanted: jsr show_header
        ldx wish
        ldy #0
        cycle
        lda wish_is_text
        when eq
        lda typed, x
        otherwise
        lda (text_at), y
        endwhen
        beq wish_over
        cmp #' '
        beq wish_over
        inx
        jsr lower
        sta opcode
        lda tape_buffer, y
        jsr lower
        cmp opcode
        bne passed_by
        iny
        cpy #16
        endcycle ne
wish_ok: jsr new_line
        clc
        rts
wish_over: cpy #0
        beq wish_ok             ; any will do
        lda tape_buffer, y
        cmp #' '
        beq wish_ok
passed_by: lda #low passed_text
        ldx #high passed_text
        jsr write
        jsr new_line
        sec
        rts

; Name, address and size of a header: a name of sixteen characters ends without a blank.
show_header: ldx #0
        cycle
        lda tape_buffer, x
        cmp #' '
        leave eq
        jsr glyph
        inx
        cpx #16
        endcycle ne
        jsr blank
        lda #'$'
        jsr print
        lda tape_buffer + 18
        jsr hex
        lda tape_buffer + 17
        jsr hex
        jsr blank
        lda tape_buffer + 23
        ldx tape_buffer + 24
        jsr word
        lda #low bytes_text
        ldx #high bytes_text
        jmp write

; ---- the words

tape_word: lda #low play_text
        ldx #high play_text
        jsr write
        jsr tape_on
        lda #0
        sta tape_inside
        lda tape_in
        sta tape_side
        cycle
        jsr tape_block
        when cs
        lda tape_quiet + 1
        cmp #4
        leave cs                ; nothing comes any more
        otherwise
        lda tape_kind
        cmp #'H'
        when eq
        jsr show_header
        jsr new_line
        endwhen
        endwhen
        lda #$40                ; from now on silence is the end
        sta tape_inside
        endcycle
        jsr tape_off
        jmp prompt

load_word: jsr skip
        stx wish
        lda #0
        sta wish_is_text
        lda #low play_text
        ldx #high play_text
        jsr write
        jsr tape_fetch
        when eq
        lda #low loaded_text
        ldx #high loaded_text
        jsr write
        otherwise
        lda #low missing_text
        ldx #high missing_text
        jsr write
        lda tape_missing
        jsr number
        jsr new_line
        endwhen
        jmp prompt

; Loads the next program of that wish. `go` finds its start.
tape_fetch: jsr tape_on
        jsr tape_load
        jsr tape_off
        lda tape_first
        sta named
        lda tape_first + 1
        sta named + 1
        lda tape_start
        and tape_start + 1
        cmp #$FF
        when ne
        lda tape_start
        sta named
        lda tape_start + 1
        sta named + 1
        endwhen
        lda named
        sta at
        lda named + 1
        sta at + 1
        lda tape_missing
        rts

save_word: jsr skip
        when eq
        lda #low name_wanted
        ldx #high name_wanted
        jmp complain
        endwhen
        ldy #0
        cycle
        lda typed, x
        beq name_over
        cmp #' '
        beq name_over
        cpy #16
        when cc
        sta tape_buffer, y
        iny
        endwhen
        inx
        endcycle
name_over: lda #' '
        cycle
        cpy #16
        leave eq
        sta tape_buffer, y
        iny
        endcycle
        jsr skip
        jsr parse_word
        sta tape_first + 1
        lda value
        sta tape_first
        jsr skip
        jsr parse_word
        sta tape_size + 1
        lda value
        sta tape_size
        lda #$FF
        sta tape_start
        sta tape_start + 1
        jsr skip
        when ne
        jsr parse_word
        sta tape_start + 1
        lda value
        sta tape_start
        endwhen
        jsr size_of
        when cc
        lda #low order_wanted
        ldx #high order_wanted
        jmp complain
        endwhen
        lda #low record_text
        ldx #high record_text
        jsr write
        jsr key
        jsr new_line
        lda #1
        sta tape_fast
        jsr tape_on
        jsr tape_save
        jsr tape_off
        lda #low saved_text
        ldx #high saved_text
        jsr write
        jmp prompt

; The last address in tape_size becomes how many bytes there are; C clear where it is below the first.
size_of: lda tape_size
        sec
        sbc tape_first
        sta tape_size
        lda tape_size + 1
        sbc tape_first + 1
        sta tape_size + 1
        inc tape_size
        when eq
        inc tape_size + 1
        endwhen
        rts

; ---- for programs: A and 256 times X is a name up to a zero byte

; Saves what stands from tape_first on up to the last address, which stands in tape_size. It starts at tape_start, or nowhere where that
; is $FFFF; with a zero in tape_fast it goes at 300 bits a second, else at 1200.
save_call: sta text_at
        stx text_at + 1
        ldy #0
        cycle
        lda (text_at), y
        leave eq
        sta tape_buffer, y
        iny
        cpy #16
        endcycle ne
        lda #' '
        cycle
        cpy #16
        leave eq
        sta tape_buffer, y
        iny
        endcycle
        jsr size_of
        jsr tape_on
        jsr tape_save
        jmp tape_off

; Loads the program of that name, any where the name is empty. A is how many blocks are missing; Z where all is there.
load_call: sta text_at
        stx text_at + 1
        lda #1
        sta wish_is_text
        jmp tape_fetch

play_text: text zero, "press PLAY; STOP ends it", 13
record_text: text zero, "press RECORD, then any key"
saved_text: text zero, "it is on the tape", 13
loaded_text: text zero, "all there; go starts it", 13
missing_text: text zero, "blocks that are missing: "
block_text: text zero, "block "
broken_text: text zero, " cannot be read"
passed_text: text zero, ", passed by"
bytes_text: text zero, " bytes"
tape_stop_text: text zero, "stopped"
name_wanted: text zero, "a name is wanted there"
order_wanted: text zero, "the last address is below the first"
