; curlew: the words save, play and tape: a cassette recorder at port C of the 8255. PC0 goes to the tape, PC1 lets its motor run, PC7 is
; what the comparator hears. docs/tape.md has the form of the blocks.

tape_port equ 32h
tape_mode equ 33h
tape_ways equ 10011010b         ; port C: the lower half goes out, all else comes in
motor   equ 2

short   equ 52                  ; turns of the waiting loop for half a wave of 2400 Hz
long    equ 111                 ; and of 1200 Hz
bit_rest equ 8                  ; what the way to the next half takes, in such turns
byte_rest equ 16
between equ 27                  ; turns of the listening loop between half a wave of the one and the other
in_block equ 128                ; bytes of a program in a block
patience equ 6                  ; so many times 650 ms of silence are the end

; --- to the tape

tape_on: di
        ld a, motor
        ld (level), a
        out (tape_port), a
        ret

tape_off: xor a
        out (tape_port), a
        ret

; The level turns over and stays for C turns.
half:   ld a, (level)
        xor 1
        ld (level), a
        out (tape_port), a
        ld b, c
        djnz $
        ret

; The bit in the carry.
send_bit: ld c, short
        ld d, 3
        jr c, .one
        ld c, long
        ld d, 1
.one:   ld a, (fast)
        or a
        jr nz, .each
        ld a, d                 ; four times as many
        add a, a
        add a, a
        or 3
        ld d, a
.each:  call half
        dec d
        jr nz, .each
        ld a, (rest)            ; the way to the next bit is part of the last half
        neg
        add a, c
        ld c, a
        jr half

; The byte in A.
send:   ld e, a
        ld a, bit_rest
        ld (rest), a
        ld l, 8
        or a
        call send_bit
.bit:   rrc e
        call send_bit
        dec l
        jr nz, .bit
        scf
        call send_bit
        ld a, byte_rest
        ld (rest), a
        scf
        jr send_bit

; The byte in A goes to the tape, or only into the sum.
put_out: push hl
        push de
        push bc
        ld b, a
        ld a, (sends)
        or a
        ld a, b
        jr nz, .send
        ld hl, sum
        call add_to
        jr .end
.send:  call send
.end:   pop bc
        pop de
        pop hl
        ret

; A into the CRC at HL.
add_to: ld c, (hl)
        inc hl
        ld b, (hl)
        call add_crc
        ld (hl), b
        dec hl
        ld (hl), c
        ret

; Ones for A times 54 ms.
leader: ld h, a
        ld c, short
.some:  ld d, 0
.each:  call half
        dec d
        jr nz, .each
        dec h
        jr nz, .some
        ret

; A block, after A times 54 ms of ones: it is added up first.
send_block: push af
        call check
        xor a
        ld (sends), a
        ld hl, 0
        ld (sum), hl
        call put_block
        pop af
        call leader
        ld a, 1
        ld (sends), a
        ld a, 0A5h
        call send
        ld a, 5Ah
        call send
        call put_block
        ld a, (sum)
        call send
        ld a, (sum + 1)
        jp send

put_block: ld hl, tape_kind
        ld b, 4                 ; kind, number, length
        call .copy
        ld hl, head
        ld a, (tape_length)
        ld b, a
        ld a, (tape_kind)
        cp 'D'
        jr nz, .copy
        ld b, 3
        call .copy
        ld a, (tape_length)
        sub 3
        ld b, a
        ld hl, (at)
.data:  ld a, (sends)
        or a
        jr nz, .out
        push hl
        push bc
        ld a, (hl)
        ld hl, whole
        call add_to
        pop bc
        pop hl
.out:   ld a, (hl)
        call put_out
        inc hl
        djnz .data
        ret
.copy:  ld a, (hl)
        call put_out
        inc hl
        djnz .copy
        ret

; save NAME FROM TO START
save_word: call skip_blanks
        or a
        scf
        ret z
        ld de, head
        ld b, 16
.name:  ld a, (hl)
        cp ' '
        jr z, .pad
        or a
        scf
        ret z
        inc hl
        ld (de), a
        inc de
        djnz .name
.rest:  ld a, (hl)              ; what is longer is cut
        cp ' '
        jr z, .named
        or a
        scf
        ret z
        inc hl
        jr .rest
.pad:   ld a, ' '
        ld (de), a
        inc de
        djnz .pad
.named: push hl
        ld hl, head + 16
        ld b, 12
.clear: ld (hl), 0
        inc hl
        djnz .clear
        pop hl
        ld a, 1                 ; the version
        ld (head + 16), a
        ld (fast), a
        push hl
        call stretch            ; HL the first one, BC how many
        pop de
        ret c
        ld (head + 17), hl
        ld (at), hl
        ld (head + 23), bc
        ld (left), bc
        ld hl, 127              ; blocks: divided by 128
        add hl, bc
        ld a, 0
        adc a, 0
        add hl, hl
        adc a, a
        ld l, h
        ld h, a
        ld (head + 26), hl
        ld (blocks), hl
        ex de, hl               ; the third number
        call number
        call number
        call number
        jr nc, .starts
        ld de, 0FFFFh
        ld a, e
        ld (head + 22), a
.starts: ld (head + 20), de
        ld hl, press_record
        call print_text
        call read
        call new_line
        call tape_on
        ld a, 'H'
        ld (tape_kind), a
        ld a, 28
        ld (tape_length), a
        ld hl, 0
        ld (tape_number), hl
        ld (whole), hl
        ld a, 56
        call send_block
        ld a, 'D'
        ld (tape_kind), a
.block: ld hl, (tape_number)
        inc hl
        ld (tape_number), hl
        ld hl, (left)
        ld a, h
        or l
        jr z, .end
        ld bc, in_block         ; or what is left
        sbc hl, bc
        jr nc, .full
        add hl, bc
        ld c, l
        ld hl, 0
.full:  ld (left), hl
        push bc
        ld a, c
        add a, 3
        ld (tape_length), a
        ld hl, (at)
        ld (head), hl
        xor a
        ld (head + 2), a
        ld a, 6
        call send_block
        pop bc
        ld hl, (at)
        add hl, bc
        ld (at), hl
        jr .block
.end:   ld a, 'E'
        ld (tape_kind), a
        ld a, 4
        ld (tape_length), a
        ld hl, (whole)
        ld (head), hl
        ld hl, (blocks)
        ld (head + 2), hl
        ld a, 6
        call send_block
        ld a, 6
        call leader
        call tape_off
        ld hl, on_tape
        call print_text
        or a
        ret

; --- from the tape; E is the level that was heard last

; Waits for the level to turn over. C where that took as long as half a wave of 1200 Hz.
hear:   ld b, 0
.wait:  inc b
        jr z, .silent
        in a, (tape_port)
        xor e
        jp p, .wait
        ld a, e
        xor 80h
        ld e, a
        ld a, b
        cp between
        ccf
        ret
; Nothing turns over for two and a half milliseconds. In a block that is its end, in a program after four seconds.
.silent: ld a, (inside)
        rla
        jr c, broken
        rla
        jr nc, .look
        push hl
        ld hl, (quiet)
        inc hl
        ld (quiet), hl
        ld a, h
        pop hl
        cp patience
        jr nc, broken
.look:  call check
        jr hear

; The block cannot be read: back to whoever wanted it.
broken: ld sp, (top)
        scf
        ret

; A key at the console ends it.
check:  in a, (status)
        rra
        ret nc
        in a, (data)
        call tape_off
        ld hl, tape_stopped
        call print_text
        jp ready

; The rest of a bit, of which C halves of 2400 Hz are left. Carry where it is a zero.
bit_in: call hear
        jr c, .long
        dec c
        jr .taken
.long:  inc d
        dec c
        dec c
.taken: jr z, .over
        jp p, bit_in
.over:  ld a, (units)
        ld b, a
        add a, c
        ld c, a
        ld a, d
        add a, a
        add a, a
        dec b
        ld d, a
        ld a, b
        cp d
        ld d, 0
        ret

; Eight bits to A; the first of them has begun.
eight:  ld l, 8
.bit:   call bit_in
        rr h
        dec l
        jr nz, .bit
        ld a, h
        cpl
        ret

; A byte of a block, which goes into its sum: ones, then a zero that begins it.
get:    call check
        call hear
        jr c, get
        call hear
        jr c, get
        ld l, 200               ; where no byte comes for so long, some of the block were lost
.zero:  dec l
        jr z, broken
        call hear
        jr nc, .zero
        ld a, (units)
        sub 2
        ld c, a
        ld d, 1
        call bit_in
        jr nc, get
        call eight
        push af
        ld hl, sum
        call add_to
        pop af
        ret

; The next block on the tape. Carry where it cannot be read.
next_block: ld (top), sp
        ld hl, 0
        ld (quiet), hl
.look:  ld hl, inside
        res 7, (hl)
.ones:  call check
        ld l, 16                ; halves of ones in a row
.one:   call hear
        jr c, .ones
        dec l
        jr nz, .one
.zero:  call check
        call hear
        jr nc, .zero
        ld l, 0                 ; the zero after them tells how fast bits come
.longs: inc l
        call hear
        jr c, .longs
        ld a, l
        cp 5
        ld a, 4
        jr c, .is_fast
        ld a, 16
.is_fast: ld (units), a
        dec a
        ld c, a
        ld d, 0
        call eight
        cp 0A5h
        jr nz, .look
        ld hl, inside
        set 7, (hl)
        call get
        cp 5Ah
        jr nz, .look
        ld hl, 0
        ld (sum), hl
        xor a
        ld (inplace), a
        call get
        ld (tape_kind), a
        call get
        ld (tape_number), a
        call get
        ld (tape_number + 1), a
        call get
        ld (tape_length), a
.carried: call get
        call take
        ld hl, inplace
        inc (hl)
        ld a, (tape_length)
        cp (hl)
        jr nz, .carried
        ld hl, (sum)
        ld (kept), hl
        call get
        ld hl, kept
        cp (hl)
        jp nz, broken
        call get
        ld hl, kept + 1
        cp (hl)
        ret z                   ; without a carry
        jp broken

; A byte of a block goes where it belongs: data to their own address.
take:   ld c, a
        ld a, (tape_kind)
        cp 'D'
        ld a, (inplace)
        jr nz, .head
        cp 3
        jr nc, .data
.head:  cp 28
        jp nc, broken
        ld l, a
        ld h, 0
        ld a, c
        ld bc, head
        add hl, bc
        ld (hl), a
        ret
.data:  ld hl, (at)
        jr nz, .there
        ld hl, (head)
.there: ld a, h                 ; the monitor's own RAM and the ROM stay as they are
        cp high work
        jp nc, broken
        ld (hl), c
        inc hl
        ld (at), hl
        ret

; play NAME: loads the next program, or the one of that name.
play_word: call skip_blanks
        ld (wish), hl
        ld hl, press_play
        call print_text
        call tape_on
        xor a
        ld (inside), a
        ld (missing), a
        call side
.header: call next_block
        jr c, .other
        call show_header
        jr c, .other
        call is_wished
        jr nc, .found
        ld hl, passed_by
        call print_text
.other: xor a
        ld (inside), a
        jr .header
.found: call new_line
        ld hl, (head + 26)
        ld (blocks), hl
        ld hl, (head + 20)
        ld a, h
        and l
        inc a
        jr nz, .begins
        ld hl, (head + 17)
.begins: ld (starts), hl
        ld hl, 1
        ld (expected), hl
.block: ld hl, (blocks)
        ld bc, (expected)
        or a
        sbc hl, bc
        jr c, .end
        ld a, 40h
        ld (inside), a
        call next_block
        jr nc, .whole
        ld a, (quiet + 1)
        cp patience
        jr nc, .lost
        call lose
        jr .block
.whole: ld a, (tape_kind)
        cp 'D'
        jr nz, .lost
.same:  ld hl, (tape_number)
        ld bc, (expected)
        or a
        sbc hl, bc
        jr c, .block            ; it was there already
        jr z, .good
        call lose               ; what was not heard at all
        jr .same
.good:  inc bc
        ld (expected), bc
        jr .block
; Another program begins, or nothing comes any more.
.lost:  ld hl, (blocks)
        ld bc, (expected)
        or a
        sbc hl, bc
        jr c, .end
        call lose
        jr .lost
.end:   call tape_off
        ld hl, (starts)
        ld (saved.pc), hl
        ld a, (missing)
        or a
        ld hl, all_there
        jp z, told
        ld hl, are_missing
        call print_text
        ld a, (missing)
        call print_byte
        call new_line
        or a
        ret

told:   call print_text
        or a
        ret

; The expected block is told to be lost, and the next one is expected; E stays.
lose:   push de
        ld hl, missing
        inc (hl)
        ld hl, block_is
        call print_text
        ld de, (expected)
        call print_word
        inc de
        ld (expected), de
        ld hl, unreadable
        call print_text
        pop de
        ret

side:   in a, (tape_port)
        and 80h
        ld e, a
        ret

; tape: what is on the tape, up to four seconds of silence.
tape_word: ld hl, press_play
        call print_text
        call tape_on
        xor a
        ld (inside), a
        call side
.each:  call next_block
        jr c, .broken
        call show_header
        call nc, new_line
        jr .on
.broken: ld a, (quiet + 1)
        cp patience
        jr nc, .end
.on:    ld a, 40h               ; from now on silence is the end
        ld (inside), a
        jr .each
.end:   call tape_off
        or a
        ret

; Shows the name, the first address and the size of a header; carry where the block is none.
show_header: ld a, (tape_kind)
        cp 'H'
        scf
        ret nz
        ld a, (head + 16)
        dec a
        scf
        ret nz
        push de
        ld hl, head
        ld b, 16
.name:  ld a, (hl)
        cp ' '
        jr z, .over
        jr c, .no
        cp 7Fh
        call c, print
.no:    inc hl
        djnz .name
.over:  call blank
        ld de, (head + 17)
        call print_word
        ld hl, bytes_are
        call print_text
        ld de, (head + 23)
        call print_word
        pop de
        or a
        ret

; Carry where the header has another name than was wished for. E stays.
is_wished: push de
        ld hl, (wish)
        ld a, (hl)
        or a
        jr z, .yes
        ld de, head
        ld b, 16
.each:  ld a, (hl)
        call lower
        or a
        jr z, .ends
        cp ' '
        jr z, .ends
        ld c, a
        ld a, (de)
        call lower
        cp c
        jr nz, .no
        inc hl
        inc de
        djnz .each
        jr .yes
.ends:  ld a, (de)
        cp ' '
        jr z, .yes
.no:    pop de
        scf
        ret
.yes:   pop de
        or a
        ret

press_record: text zero, "press RECORD, then any key"
press_play: text zero, "press PLAY; any key ends it\r\n"
on_tape: text zero, "it is on the tape\r\n"
all_there: text zero, "all there; go starts it\r\n"
are_missing: text zero, "blocks that are missing: "
block_is: text zero, "block "
unreadable: text zero, " cannot be read\r\n"
passed_by: text zero, ", passed by\r\n"
bytes_are: text zero, ", bytes "
tape_stopped: text zero, "stopped\r\n"
