; Cassette routines for boards with a 6502 at 1 MHz: blocks to the tape and back, at 300 or 1200 baud; docs/tape.md has their form.
;
; The board says beforehand:
;   tape_in        its bit 7 is what the comparator hears
;   tape_out       what is written there goes to the tape with the bit tape_bit
;   tape_vars      37 cells in RAM
;   tape_buffer    tape_room cells for what a block carries, at least 28
;   tape_at        two cells of page zero, the address that is saved or loaded next
;   tape_direct    1: data goes to its place as it comes in; 0: once its sum was right
; and has these routines, which may change all registers:
;   tape_check     called again and again while a program is looked for; leaves for good where the operator wants an end
;   tape_wanted    a header came, in tape_buffer; C where the program is passed by
;   tape_missed    block tape_expected cannot be read
;   tape_allowed   C where no program may be loaded at tape_at

tape_level equ tape_vars + 0    ; what was written to tape_out
tape_side equ tape_vars + 1     ; what the comparator said, in bit 7
tape_units equ tape_vars + 2    ; halves of 2400 Hz in a bit
tape_left equ tape_vars + 3     ; of them still to come in this bit
tape_longs equ tape_vars + 4    ; halves of 1200 Hz in this bit
tape_byte equ tape_vars + 5
tape_bits equ tape_vars + 6     ; bits still to come
tape_sum equ tape_vars + 7      ; two: of a block
tape_whole equ tape_vars + 9    ; two: of all data
tape_kind equ tape_vars + 11
tape_number equ tape_vars + 12  ; two
tape_length equ tape_vars + 14
tape_top equ tape_vars + 15     ; where the stack was, for a way out
tape_quiet equ tape_vars + 16   ; two: how long nothing was heard
tape_inside equ tape_vars + 18  ; bit 7: in a block; bit 6: in a program
tape_sends equ tape_vars + 19   ; bit 7: bytes are sent; else they are added up
tape_delay equ tape_vars + 20
tape_rest equ tape_vars + 21    ; what the way to the next half takes, in turns of the waiting loop
tape_missing equ tape_vars + 22 ; blocks that were not read
tape_expected equ tape_vars + 23 ; two: the next block
tape_blocks equ tape_vars + 25  ; two
tape_start equ tape_vars + 27   ; two
tape_first equ tape_vars + 29   ; two: what is saved
tape_size equ tape_vars + 31    ; two
tape_place equ tape_vars + 33   ; in the block
tape_fast equ tape_vars + 34    ; 0: 300 baud, else 1200
tape_keep equ tape_vars + 35    ; two

tape_short equ 35               ; turns of the waiting loop for half a wave of 2400 Hz
tape_long equ 77                ; and of 1200 Hz
tape_bit_rest equ 9
tape_byte_rest equ 22
tape_limit equ 16               ; turns of the listening loop between half a wave of the one and the other
tape_per_block equ 128

; ---- to the tape

; The level turns over and stays for tape_delay.
tape_half: lda tape_level
        eor #tape_bit
        sta tape_level
        sta tape_out
        ldx tape_delay
        cycle
        dex
        endcycle ne
        rts

; The bit in C.
tape_send_bit: lda #tape_short
        ldy #3
        when cc
        lda #tape_long
        ldy #1
        endwhen
        sta tape_delay
        lda tape_fast
        when eq
        tya                     ; four times as many
        asl a
        asl a
        ora #3
        tay
        endwhen
        cycle
        jsr tape_half
        dey
        endcycle ne
        lda tape_delay          ; the way to the next bit is part of the last half
        sec
        sbc tape_rest
        sta tape_delay
        jmp tape_half

; The byte in A.
tape_send: sta tape_byte
        lda #tape_bit_rest
        sta tape_rest
        lda #8
        sta tape_bits
        clc
        jsr tape_send_bit
        cycle
        lsr tape_byte
        jsr tape_send_bit
        dec tape_bits
        endcycle ne
        sec
        jsr tape_send_bit
        lda #tape_byte_rest
        sta tape_rest
        sec
        jmp tape_send_bit

; The byte in A goes to the tape, or only into the sum.
tape_put: bit tape_sends
        bmi tape_send
        ldx #0
; The byte in A goes into the sum that lies X cells after tape_sum.
tape_add: eor tape_sum + 1, x
        sta tape_sum + 1, x
        ldy #8
        cycle
        asl tape_sum, x
        rol tape_sum + 1, x
        when cs
        lda tape_sum, x
        eor #$21
        sta tape_sum, x
        lda tape_sum + 1, x
        eor #$10
        sta tape_sum + 1, x
        endwhen
        dey
        endcycle ne
        rts

; Ones for A times 54 ms.
tape_leader: sta tape_place
        lda #tape_short
        sta tape_delay
        ldy #0
        cycle
        cycle
        jsr tape_half
        dey
        endcycle ne
        dec tape_place
        endcycle ne
        rts

; A block: its kind in tape_kind, its number in tape_number, tape_length bytes. The first ones stand in tape_buffer, those of data
; after the address at tape_at. It is added up first, then sent after A times 54 ms of ones.
tape_send_block: pha
        jsr tape_check
        lda #0
        sta tape_sends
        sta tape_sum
        sta tape_sum + 1
        jsr tape_put_block
        pla
        jsr tape_leader
        lda #$80
        sta tape_sends
        lda #$A5
        jsr tape_send
        lda #$5A
        jsr tape_send
        jsr tape_put_block
        lda tape_sum
        jsr tape_send
        lda tape_sum + 1
        jmp tape_send

tape_put_block: lda tape_kind
        jsr tape_put
        lda tape_number
        jsr tape_put
        lda tape_number + 1
        jsr tape_put
        lda tape_length
        jsr tape_put
        lda #0
        sta tape_place
        cycle
        ldx tape_place
        lda tape_kind
        cmp #'D'
        when eq
        cpx #3
        bcs tape_put_data
        endwhen
        lda tape_buffer, x
        jmp tape_put_this
tape_put_data: lda tape_place
        sbc #3
        tay
        lda (tape_at), y
        bit tape_sends
        when pl
        pha
        ldx #tape_whole - tape_sum
        jsr tape_add
        pla
        endwhen
tape_put_this: jsr tape_put
        inc tape_place
        lda tape_place
        cmp tape_length
        endcycle ne
        rts

; Saves tape_size bytes from tape_first on, with the name in the first 16 cells of tape_buffer and tape_start, $FFFF for none. What
; the tape was before does not matter; the motor runs.
tape_save: lda #'H'
        sta tape_kind
        lda #28
        sta tape_length
        lda #0
        ldx #11
        cycle
        sta tape_buffer + 16, x
        dex
        endcycle pl
        sta tape_number
        sta tape_number + 1
        sta tape_whole
        sta tape_whole + 1
        inc tape_buffer + 16    ; the version
        lda tape_first
        sta tape_buffer + 17
        sta tape_at
        lda tape_first + 1
        sta tape_buffer + 18
        sta tape_at + 1
        lda tape_start
        sta tape_buffer + 20
        lda tape_start + 1
        sta tape_buffer + 21
        and tape_start
        cmp #$FF
        when eq
        sta tape_buffer + 22    ; $FFFFFF is none
        endwhen
        lda tape_size
        sta tape_buffer + 23
        clc
        adc #tape_per_block - 1
        sta tape_keep
        lda tape_size + 1
        sta tape_buffer + 24
        adc #0
        sta tape_blocks
        lda #0
        adc #0
        asl tape_keep           ; divided by 128: the bytes above the highest bit of the low one
        rol tape_blocks
        rol a
        sta tape_blocks + 1
        sta tape_buffer + 27
        lda tape_blocks
        sta tape_buffer + 26
        lda #56
        jsr tape_send_block
        lda #'D'
        sta tape_kind
        cycle
        inc tape_number
        when eq
        inc tape_number + 1
        endwhen
        lda tape_size
        ora tape_size + 1
        leave eq
        lda tape_at
        sta tape_buffer
        lda tape_at + 1
        sta tape_buffer + 1
        lda #0
        sta tape_buffer + 2
        lda #tape_per_block     ; or what is left
        ldx tape_size + 1
        when eq
        cmp tape_size
        when cs
        lda tape_size
        endwhen
        endwhen
        sta tape_keep
        clc
        adc #3
        sta tape_length
        lda #6
        jsr tape_send_block
        lda tape_size
        sec
        sbc tape_keep
        sta tape_size
        when cc
        dec tape_size + 1
        endwhen
        lda tape_at
        clc
        adc tape_keep
        sta tape_at
        when cs
        inc tape_at + 1
        endwhen
        endcycle
        lda #'E'
        sta tape_kind
        lda #4
        sta tape_length
        lda tape_whole
        sta tape_buffer
        lda tape_whole + 1
        sta tape_buffer + 1
        lda tape_blocks
        sta tape_buffer + 2
        lda tape_blocks + 1
        sta tape_buffer + 3
        lda #6
        jsr tape_send_block
        lda #6
        jmp tape_leader

; ---- from the tape

; Waits for the level to turn over. C where that took as long as half a wave of 1200 Hz.
tape_hear:
        ldx #0
        cycle
        inx
        beq tape_silent
        lda tape_in
        eor tape_side
        endcycle pl
        lda tape_side
        eor #$80
        sta tape_side
        cpx #tape_limit
        rts

; Nothing turns over for four milliseconds. In a block that is its end.
tape_silent: bit tape_inside
        bmi tape_broken
        when vs                 ; in a program it is waited for three seconds
        inc tape_quiet
        when eq
        inc tape_quiet + 1
        lda tape_quiet + 1
        cmp #4
        bcs tape_broken
        endwhen
        endwhen
        jsr tape_check
        jmp tape_hear

; The block cannot be read: back to whoever wanted it.
tape_broken: ldx tape_top
        txs
        sec
        rts

; The rest of a bit, of which tape_left is left. C where it is a zero.
tape_bit_in:
        cycle
        jsr tape_hear
        lda #-1 & $FF
        when cs
        inc tape_longs
        lda #-2 & $FF
        endwhen
        clc
        adc tape_left
        sta tape_left
        beq tape_bit_over
        endcycle pl
tape_bit_over: lda tape_left
        clc
        adc tape_units
        sta tape_left
        lda tape_longs
        asl a
        asl a
        cmp tape_units
        lda #0
        sta tape_longs
        rts

; Eight bits to A; the first of them has begun.
tape_eight: lda #8
        sta tape_bits
        cycle
        jsr tape_bit_in
        ror tape_byte
        dec tape_bits
        endcycle ne
        lda tape_byte
        eor #$FF
        rts

; A byte of a block, which goes into its sum: ones, then a zero that begins it.
tape_get: jsr tape_check
        jsr tape_hear
        bcs tape_get
        jsr tape_hear
        bcs tape_get
        ldy #200                ; where no byte comes for so long, some of the block were lost
        cycle
        dey
        beq tape_broken
        jsr tape_hear
        endcycle cc
        lda tape_units
        sec
        sbc #2
        sta tape_left
        lda #1
        sta tape_longs
        jsr tape_bit_in
        bcc tape_get
        jsr tape_eight
        pha
        ldx #0
        jsr tape_add
        pla
        rts

; The next block on the tape, to tape_buffer. C where it cannot be read.
tape_block: tsx
        stx tape_top
        lda #0
        sta tape_quiet
        sta tape_quiet + 1
tape_look: lda tape_inside
        and #$7F
        sta tape_inside
tape_ones: jsr tape_check
        ldy #16                 ; halves of ones in a row
        cycle
        jsr tape_hear
        bcs tape_ones
        dey
        endcycle ne
        cycle
        jsr tape_check
        jsr tape_hear
        endcycle cc
        ldy #0                  ; the zero after them tells how fast bits come
        cycle
        iny
        jsr tape_hear
        endcycle cs
        lda #4
        cpy #5
        when cs
        lda #16
        endwhen
        sta tape_units
        sec
        sbc #1
        sta tape_left
        lda #0
        sta tape_longs
        jsr tape_eight
        cmp #$A5
        bne tape_look
        lda #$80
        ora tape_inside
        sta tape_inside
        jsr tape_get
        cmp #$5A
        bne tape_look
        lda #0
        sta tape_sum
        sta tape_sum + 1
        sta tape_place
        jsr tape_get
        sta tape_kind
        jsr tape_get
        sta tape_number
        jsr tape_get
        sta tape_number + 1
        jsr tape_get
        sta tape_length
        cycle
        jsr tape_get
        jsr tape_take
        inc tape_place
        lda tape_place
        cmp tape_length
        endcycle ne
        lda tape_sum
        sta tape_keep
        lda tape_sum + 1
        sta tape_keep + 1
        jsr tape_get
        cmp tape_keep
        when eq
        jsr tape_get
        cmp tape_keep + 1
        when eq
        clc
        rts
        endwhen
        endwhen
        jmp tape_broken

; A byte of a block goes where it belongs.
tape_take: ldx tape_place
        if tape_direct
        ldy tape_kind
        cpy #'D'
        when eq
        cpx #3
        bcs tape_take_data
        endwhen
        endif
        cpx #tape_room
        when cs
        jmp tape_broken
        endwhen
        sta tape_buffer, x
        rts
        if tape_direct
tape_take_data: when eq
        pha
        jsr tape_data_place
        when cs
        jmp tape_broken
        endwhen
        pla
        endwhen
        ldy #0
        sta (tape_at), y
        inc tape_at
        when eq
        inc tape_at + 1
        endwhen
        rts
        endif

; The address of a block of data goes to tape_at. C where nothing may be loaded there.
tape_data_place: lda tape_buffer
        sta tape_at
        lda tape_buffer + 1
        sta tape_at + 1
        jmp tape_allowed

; Loads the next program that is wanted. A and tape_missing are how many blocks could not be read; Z where all is there.
tape_load: lda #0
        sta tape_missing
        sta tape_inside
        lda tape_in
        sta tape_side
        cycle
        jsr tape_block
        bcs tape_no_header
        lda tape_kind
        cmp #'H'
        bne tape_no_header
        lda tape_buffer + 16
        cmp #1
        bne tape_no_header
        jsr tape_wanted
        leave cc
tape_no_header: lda #0
        sta tape_inside
        endcycle
        lda tape_buffer + 17
        sta tape_first
        lda tape_buffer + 18
        sta tape_first + 1
        lda tape_buffer + 20
        sta tape_start
        lda tape_buffer + 21
        sta tape_start + 1
        lda tape_buffer + 26
        sta tape_blocks
        lda tape_buffer + 27
        sta tape_blocks + 1
        lda #1
        sta tape_expected
        lda #0
        sta tape_expected + 1
        cycle
        lda tape_blocks
        cmp tape_expected
        lda tape_blocks + 1
        sbc tape_expected + 1
        leave cc
        lda #$40
        sta tape_inside
        jsr tape_block
        bcs tape_lost
        lda tape_kind
        cmp #'D'
        bne tape_rest_lost
        lda tape_number
        cmp tape_expected
        lda tape_number + 1
        sbc tape_expected + 1
        bcc tape_load_on        ; it was there already
        cycle                   ; what was not heard at all
        lda tape_number
        cmp tape_expected
        when eq
        lda tape_number + 1
        cmp tape_expected + 1
        endwhen
        leave eq
        jsr tape_lose
        endcycle
        if !tape_direct
        jsr tape_data_place
        bcs tape_lost
        ldx #3
        ldy #0
        cycle
        lda tape_buffer, x
        sta (tape_at), y
        iny
        inx
        cpx tape_length
        endcycle ne
        endif
        jsr tape_next
        jmp tape_load_on
tape_lost: lda tape_quiet + 1
        cmp #4
        bcs tape_rest_lost
        jsr tape_lose
tape_load_on: endcycle
        jmp tape_loaded
; Another program begins, or nothing comes any more.
tape_rest_lost:
        cycle
        lda tape_blocks
        cmp tape_expected
        lda tape_blocks + 1
        sbc tape_expected + 1
        leave cc
        jsr tape_lose
        endcycle
tape_loaded: lda tape_missing
        rts

tape_lose: inc tape_missing
        when eq
        dec tape_missing        ; so many that their number does not matter
        endwhen
        jsr tape_missed
tape_next: inc tape_expected
        when eq
        inc tape_expected + 1
        endwhen
        rts
