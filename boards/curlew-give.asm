; curlew: the words give and hex, which send a stretch of memory over the console.

; hex FROM TO: records of sixteen bytes.
give_hex: call stretch
        ret c
.record: ld a, b
        or c
        jr z, .end
        ld e, 16                ; or what is left
        ld a, b
        or a
        jr nz, .full
        ld a, c
        cp e
        jr nc, .full
        ld e, c
.full:  push bc
        ld a, ':'
        call print
        ld d, 0                 ; the sum
        ld a, e
        call .byte
        ld a, h
        call .byte
        ld a, l
        call .byte
        xor a
        call .byte
        ld b, e
.data:  ld a, (hl)
        inc hl
        call .byte
        djnz .data
        ld a, d
        neg
        call print_byte
        call new_line
        pop bc
        ld a, c
        sub e
        ld c, a
        jr nc, .record
        dec b
        jr .record
.end:   ld hl, end_record
        jp told
.byte:  push af
        add a, d
        ld d, a
        pop af
        jp print_byte

; give FROM TO: by XMODEM, with a CRC or a checksum as the receiver asks.
give:   call stretch
        ret c
        ld (from), hl
        ld (left), bc
        ld a, 1
        ld (block), a
        ld hl, begin_receiving
        call print_text
        ld b, 20                ; a minute
.wait:  ld a, 3
        call timed
        jr c, .silent
        cp can
        jr z, .over
        cp nak
        jr z, .asked
        cp 'C'
        jr nz, .wait
.asked: ld (asks), a
.next:  ld hl, (left)
        ld a, h
        or l
        jr z, .ends
        ld b, 10                ; tries
.try:   push bc
        call send_a_block
        pop bc
        ld a, 10
        call timed
        jr c, .again
        cp ack
        jr z, .taken
        cp can
        jr z, .over
.again: djnz .try
        jr .over
.taken: ld hl, (from)
        ld de, 128
        add hl, de
        ld (from), hl
        ld hl, block
        inc (hl)
        ld hl, (left)
        or a
        sbc hl, de
        jr nc, .some
        ld hl, 0
.some:  ld (left), hl
        jr .next
.silent: djnz .wait
.over:  ld a, can
        call print
        call print
        ld hl, broken_off
        jp told
.ends:  ld b, 10
.end:   ld a, eot
        call print
        ld a, 3
        call timed
        jr c, .once_more
        cp ack
        jr z, .done
.once_more: djnz .end
        jr .over
.done:  call new_line
        or a
        ret

; 128 bytes from `from` on; what is beyond the stretch is 1Ah.
send_a_block: ld a, soh
        call print
        ld a, (block)
        call print
        cpl
        call print
        ld hl, (from)
        ld de, (left)
        ld bc, 0                ; the check
        ld a, 128
.each:  ld (kind), a
        ld a, d
        or e
        ld a, 1Ah
        jr z, .put
        ld a, (hl)
        inc hl
        dec de
.put:   push af
        call print
        pop af
        call add_check
        ld a, (kind)
        dec a
        jr nz, .each
        ld a, (asks)
        cp nak
        jr z, .sum
        ld a, b
        call print
.sum:   ld a, c
        jp print

end_record: text zero, ":00000001FF\r\n"
begin_receiving: text zero, "begin receiving\r\n"
broken_off: text zero, "\r\nthe transfer was broken off\r\n"
