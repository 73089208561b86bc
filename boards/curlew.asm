; The resident monitor of the board curlew. It speaks words on the console; any beginning of a word will do, the first word of the
; list that begins so is meant. Numbers are hexadecimal, without a mark.
;
;       memory FROM TO          shows bytes
;       put AT BYTES            sets bytes
;       registers               shows the registers of the program
;       set NAME VALUE          sets one: af bc de hl ix iy sp pc
;       go AT                   starts a program; go alone lets the last one go on
;       stop AT                 stops once at an address; stop alone shows where it will
;       forget                  forgets the stops
;       load                    takes Intel HEX, echoing it
;       receive AT              takes a file by XMODEM: checksum or CRC, blocks of 128 or 1024
;       give FROM TO            sends a stretch by XMODEM, in blocks of 128
;       hex FROM TO             sends it as Intel HEX
;       crc FROM TO             CRC-16 of a stretch, as XMODEM has it
;       save NAME FROM TO START to the cassette
;       play NAME               from the cassette; play alone takes the next program
;       tape                    what is on the cassette
;       in PORT, out PORT BYTE  ports
;       bank NUMBER             the bank at 4000 to 7FFF
;
; A program that returns, or jumps to `monitor`, is back here. What it may call stands at fixed addresses.

        cpu z80

bank_latch equ 10h
data    equ 20h                 ; the serial chip's channel A
status  equ 22h
got     equ 0                   ; status: a character has come
room    equ 2                   ; status: the transmitter takes one

; The top of RAM is the monitor's.
work    equ 0DF00h
user_sp equ work                ; the program's stack grows down from here
stack   equ 0E000h

        region rom, 0E000h, 0FFFFh, 0FFh
        org 0E000h
reset:  jp cold
        jp print                ; E003: prints A
        jp read                 ; E006: waits for a character, in A
        jp waiting              ; E009: A is 0FFh where one has come, else 0
        jp print_text           ; E00C: prints the text at HL, which a zero ends
        jp print_byte           ; E00F: prints A as two digits
monitor: jp back                ; E012: ends a program

cold:   di
        ld sp, stack
        ld hl, serial_setting
        ld bc, serial_setting.count << 8 | status
        otir
        ld hl, work             ; the work area is cleared
        ld de, work + 1
        ld bc, variables_end - work - 1
        ld (hl), 0
        ldir
        ld hl, user_sp
        ld (saved.sp), hl
        ld hl, 100h
        ld (saved.pc), hl
        ld a, tape_ways
        out (tape_mode), a
        ld hl, hello
        call print_text
.sent:  ld a, 1                 ; until the last character is out
        out (status), a
        in a, (status)
        rra
        jr nc, .sent
ready:  ld sp, stack
        ld a, '>'
        call print
        call read_line
        ld hl, line
        call skip_blanks
        or a
        jr z, ready
        call find_word
        jr c, .unknown
        call call_de
        jr nc, ready
.unknown:
        ld hl, not_understood
        call print_text
        jr ready

call_de: push de
        ret

; Channel reset; clock by 16, a stop bit; the receiver and the transmitter with eight bits.
serial_setting: db 18h, 4, 44h, 3, 0C1h, 5, 0EAh, 1, 0
serial_setting.count equ $ - serial_setting

hello:  text zero, "\r\ncurlew: 56K RAM, sixteen banks; help lists the words\r\n"
not_understood: text zero, "that is not understood; help lists the words\r\n"

; --- characters

print:  push af
.wait:  in a, (status)
        bit room, a
        jr z, .wait
        pop af
        out (data), a
        ret

read:   in a, (status)
        rra
        jr nc, read
        in a, (data)
        ret

waiting: in a, (status)
        rra
        sbc a, a
        ret

print_text: ld a, (hl)
        or a
        ret z
        call print
        inc hl
        jr print_text

new_line: ld a, 13
        call print
        ld a, 10
        jr print

blank:  ld a, ' '
        jr print

print_word: ld a, d
        call print_byte
        ld a, e
print_byte: push af
        rrca
        rrca
        rrca
        rrca
        call .digit
        pop af
.digit: and 0Fh
        add a, 90h              ; a digit or a letter, without a branch
        daa
        adc a, 40h
        daa
        jp print

; --- the line

length  equ 78

read_line: ld hl, line
        ld b, 0
.next:  call read
        cp 13
        jr z, .end
        cp 8
        jr z, .back
        cp 7Fh
        jr z, .back
        cp ' '
        jr c, .next
        ld c, a
        ld a, b
        cp length
        jr nc, .next
        ld a, c
        ld (hl), a
        inc hl
        inc b
        call print
        jr .next
.back:  ld a, b
        or a
        jr z, .next
        dec b
        dec hl
        push hl
        ld hl, rub_out
        call print_text
        pop hl
        jr .next
.end:   ld (hl), 0
        jp new_line

rub_out: db 8, ' ', 8, 0

skip_blanks: ld a, (hl)
        cp ' '
        ret nz
        inc hl
        jr skip_blanks

; The routine of the word at HL in DE, HL after it; C where there is none.
find_word: ld de, words
.each:  ld a, (de)
        or a
        scf
        ret z
        push hl
.letter: ld a, (hl)
        call lower
        cp 'a'
        jr c, .whole            ; the word that was typed ends here
        ld c, a
        ld a, (de)
        cp c
        jr nz, .differs
        inc hl
        inc de
        jr .letter
.whole: pop bc                  ; HL stays after the word
        ld a, l
        cp c
        scf
        ret z                   ; there was none
        call pass_word
        ld a, (de)
        ld c, a
        inc de
        ld a, (de)
        ld d, a
        ld e, c
        or a
        ret
.differs: pop hl
        call pass_word
        inc de
        inc de
        jr .each

pass_word: ld a, (de)
        inc de
        or a
        jr nz, pass_word
        ret

lower:  cp 'A'
        ret c
        cp 'Z' + 1
        ret nc
        or 20h
        ret

words:  text zero, "memory"
        dw show_memory
        text zero, "put"
        dw put
        text zero, "registers"
        dw registers
        text zero, "set"
        dw set_register
        text zero, "go"
        dw go
        text zero, "stop"
        dw stop_at
        text zero, "forget"
        dw forget
        text zero, "load"
        dw load
        text zero, "receive"
        dw receive
        text zero, "crc"
        dw show_crc
        text zero, "give"
        dw give
        text zero, "hex"
        dw give_hex
        text zero, "save"
        dw save_word
        text zero, "play"
        dw play_word
        text zero, "tape"
        dw tape_word
        text zero, "in"
        dw port_in
        text zero, "out"
        dw port_out
        text zero, "bank"
        dw choose_bank
        text zero, "help"
        dw help
        db 0

; A number at HL in DE, HL after it; C where there is none.
number: call skip_blanks
        ld de, 0
        call digit
        ret c
.more:  ex de, hl
        add hl, hl
        add hl, hl
        add hl, hl
        add hl, hl
        add a, l
        ld l, a
        ex de, hl
        inc hl
        call digit
        jr nc, .more
        or a
        ret

; The value of the digit at HL in A; C where it is none.
digit:  ld a, (hl)
        call lower
        sub '0'
        ret c
        cp 10
        ccf
        ret nc
        sub 'a' - '0'
        ret c
        cp 6
        ccf
        ret c
        add a, 10
        or a
        ret

; Two addresses: the first in HL, how many bytes in BC; C where they are none.
stretch: call number
        ret c
        push de
        call number
        pop bc
        ret c
        ex de, hl
        or a
        sbc hl, bc              ; last less first
        ret c
        inc hl
        push hl
        push bc
        pop hl
        pop bc
        or a
        ret

; --- memory and ports

show_memory: call stretch
        ret c
.row:   ex de, hl
        call print_word
        ex de, hl
        call blank
        push hl
        push bc
        ld e, 8
.byte:  call blank
        ld a, (hl)
        call print_byte
        inc hl
        dec bc
        dec e
        jr z, .full
        ld a, b
        or c
        jr nz, .byte
.gap:   call blank              ; the last row may be short
        call blank
        call blank
        dec e
        jr nz, .gap
.full:  pop bc
        pop hl
        call blank
        call blank
        ld e, 8
.letter: ld a, (hl)
        cp ' '
        jr c, .hidden
        cp 7Fh
        jr c, .plain
.hidden: ld a, '.'
.plain: call print
        inc hl
        dec bc
        ld a, b
        or c
        jr z, .end
        dec e
        jr nz, .letter
        call new_line
        jr .row
.end:   call new_line
        or a
        ret

put:    call number
        ret c
        push de
        exx
        pop hl
        exx
.byte:  call number
        jr c, .end
        ld a, e
        exx
        ld (hl), a
        inc hl
        exx
        jr .byte
.end:   or a
        ret

port_in: call number
        ret c
        ld c, e
        in a, (c)
        call print_byte
        call new_line
        or a
        ret

port_out: call number
        ret c
        ld c, e
        call number
        ret c
        out (c), e
        or a
        ret

choose_bank: call number
        ret c
        ld a, e
        out (bank_latch), a
        or a
        ret

help:   ld de, words
.each:  ld a, (de)
        or a
        jp z, .end
        ex de, hl
        call print_text
        inc hl
        inc hl
        inc hl
        ex de, hl
        call blank
        jr .each
.end:   call new_line
        or a
        ret

; --- the program's registers

registers: ld hl, names
.each:  ld a, (hl)
        or a
        jr z, .flags
        call print_text
        inc hl
        ld a, '='
        call print
        ld e, (hl)
        inc hl
        ld d, (hl)
        inc hl
        push hl
        ex de, hl
        ld e, (hl)
        inc hl
        ld d, (hl)
        call print_word
        pop hl
        call blank
        jr .each
.flags: call new_line
        ld a, (saved.af)
        ld c, a
        ld hl, flag_letters
        ld b, 8
.flag:  rl c
        ld a, '-'
        jr nc, .off
        ld a, (hl)
.off:   call print
        inc hl
        djnz .flag
        call new_line
        or a
        ret

flag_letters: db "SZYHXPNC"

names:  text zero, "af"
        dw saved.af
        text zero, "bc"
        dw saved.bc
        text zero, "de"
        dw saved.de
        text zero, "hl"
        dw saved.hl
        text zero, "ix"
        dw saved.ix
        text zero, "iy"
        dw saved.iy
        text zero, "sp"
        dw saved.sp
        text zero, "pc"
        dw saved.pc
        db 0

set_register: call skip_blanks
        ld de, names
        ld c, (hl)
        inc hl
        ld b, (hl)
        inc hl
.each:  ld a, (de)
        or a
        scf
        ret z
        cp c
        jr nz, .other
        inc de
        ld a, (de)
        dec de
        cp b
        jr z, .found
.other: inc de
        inc de
        inc de
        inc de
        inc de
        jr .each
.found: inc de
        inc de
        inc de
        push de
        call number
        pop hl
        ret c
        ld c, (hl)
        inc hl
        ld b, (hl)
        ld a, e
        ld (bc), a
        inc bc
        ld a, d
        ld (bc), a
        or a
        ret

; --- going and stopping

stops_most equ 4
stop_code equ 0F7h              ; RST 30h
stop_place equ 30h

go:     call number
        jr c, .on
        ld (saved.pc), de
        ld hl, user_sp - 2
        ld (saved.sp), hl
        ld de, back
        ld (hl), e
        inc hl
        ld (hl), d
.on:    call set_stops
        ld sp, saved.iy
        pop iy
        pop ix
        exx
        ex af, af'
        pop hl
        pop de
        pop bc
        pop af
        exx
        ex af, af'
        pop de
        pop bc
        pop af
        ld sp, (saved.sp)
        ld hl, (saved.pc)
        push hl
        ld hl, (saved.hl)
        ret

; The registers of the program go to where they are kept; HL and SP are there already.
        macro save_all
        ld sp, saved.hl
        push af
        push bc
        push de
        ex af, af'
        exx
        push af
        push bc
        push de
        push hl
        ex af, af'
        exx
        push ix
        push iy
        ld sp, stack
        endm

; Where the code of a stop leads; the address after it is on the stack.
stopped: ld (saved.hl), hl
        pop hl
        dec hl
        ld (saved.pc), hl
        ld (saved.sp), sp
        save_all
        call clear_stops
        ld hl, has_stopped
        jr tell

; Where a program returns to.
back:   ld (saved.hl), hl
        ld (saved.sp), sp
        save_all
        call clear_stops
        ld hl, has_returned
tell:   call print_text
        call registers
        jp ready


has_stopped: text zero, "\r\nstopped\r\n"
has_returned: text zero, "\r\nreturned\r\n"

; Puts the codes in place, and keeps what was there.
set_stops: ld hl, stops
        ld b, stops_most
        ld c, 0
.each:  ld e, (hl)
        inc hl
        ld d, (hl)
        inc hl
        ld a, d
        or e
        jr z, .free
        ld a, (de)
        ld (hl), a
        ld a, stop_code
        ld (de), a
        ld c, 1
.free:  inc hl
        djnz .each
        ld a, c
        ld (stops_set), a
        or a
        ret z
        ld a, 0C3h
        ld (stop_place), a
        ld hl, stopped
        ld (stop_place + 1), hl
        ret

; Puts back what was there; the stop that was reached is forgotten.
clear_stops: ld a, (stops_set)
        or a
        ret z
        xor a
        ld (stops_set), a
        ld hl, stops
        ld b, stops_most
.each:  ld e, (hl)
        inc hl
        ld d, (hl)
        inc hl
        ld a, d
        or e
        jr z, .free
        ld a, (hl)
        ld (de), a
        push hl
        ld hl, (saved.pc)
        or a
        sbc hl, de
        pop hl
        jr nz, .free
        dec hl
        ld (hl), 0
        dec hl
        ld (hl), 0
        inc hl
        inc hl
.free:  inc hl
        djnz .each
        ret

stop_at: call number
        jr c, .show
        ld hl, stops
        ld b, stops_most
.each:  ld a, (hl)
        inc hl
        or (hl)
        jr z, .take
        inc hl
        inc hl
        djnz .each
        ld hl, no_room
        call print_text
        or a
        ret
.take:  ld (hl), d
        dec hl
        ld (hl), e
        or a
        ret
.show:  ld hl, stops
        ld b, stops_most
.next:  ld e, (hl)
        inc hl
        ld d, (hl)
        inc hl
        inc hl
        ld a, d
        or e
        jr z, .none
        call print_word
        call blank
.none:  djnz .next
        call new_line
        or a
        ret

no_room: text zero, "there are four stops already; forget\r\n"

forget: ld hl, stops
        ld b, 3 * stops_most
.each:  ld (hl), 0
        inc hl
        djnz .each
        or a
        ret

; --- Intel HEX

load:   ld hl, 0
        ld (records), hl
        ld (wrong), hl
.record: call read
        cp 3                    ; control C: no more
        jr z, .end
        call print
        cp ':'
        jr nz, .record
        ld c, 0                 ; the sum
        call hex_byte
        jr c, .bad
        ld b, a                 ; how many
        call hex_byte
        jr c, .bad
        ld d, a
        call hex_byte
        jr c, .bad
        ld e, a
        call hex_byte
        jr c, .bad
        ld (kind), a
        inc b
        jr .count
.byte:  call hex_byte
        jr c, .bad
        ld l, a
        ld a, (kind)
        or a
        jr nz, .count           ; data are stored, other records are not
        ld a, l
        ld (de), a
        inc de
.count: djnz .byte
        call hex_byte           ; the checksum brings the sum to zero
        jr c, .bad
        ld a, c
        or a
        jr nz, .bad
        ld hl, (records)
        inc hl
        ld (records), hl
        ld a, (kind)
        dec a
        jr nz, .record
.end:   call new_line
        ld de, (records)
        call print_word
        ld hl, records_taken
        call print_text
        ld de, (wrong)
        call print_word
        ld hl, records_wrong
        call print_text
        or a
        ret
.bad:   ld hl, (wrong)
        inc hl
        ld (wrong), hl
        jr .record

; Two digits, echoed, in A and added to C; C flag where one is none.
hex_byte: call .digit
        ret c
        rlca
        rlca
        rlca
        rlca
        ld l, a
        call .digit
        ret c
        or l
        ld l, a
        add a, c
        ld c, a
        ld a, l
        or a
        ret
.digit: push hl
        call read
        call print
        ld hl, digit_at
        ld (hl), a
        call digit
        pop hl
        ret

records_taken: text zero, " records, "
records_wrong: text zero, " wrong\r\n"

; --- XMODEM

soh     equ 1
stx     equ 2
eot     equ 4
ack     equ 6
nak     equ 15h
can     equ 18h

receive: call number
        ret c
        ld (from), de
        ld (to), de
        ld a, 1
        ld (block), a
        ld hl, begin_sending
        call print_text
        ld a, 'C'               ; first with CRC, then with checksums
        ld (asks), a
        ld b, 12
.ask:   ld a, (asks)
        call print
        ld a, 3
        call timed
        jr nc, .header
        ld a, b
        cp 7
        jr nz, .again
        ld a, nak
        ld (asks), a
.again: djnz .ask
.given_up:
        ld a, can
        call print
        call print
        ld hl, nobody
        call print_text
        or a
        ret
.next:  ld b, 10                ; tries for a block
.wait:  ld a, 3
        call timed
        jr c, .refuse
.header: cp soh
        ld hl, 128
        jr z, .take
        cp stx
        ld hl, 1024
        jr z, .take
        cp eot
        jr z, .done
        cp can
        jr nz, .refuse
        ld a, 1
        call timed
        cp can
        jr nz, .refuse
        ld hl, cancelled
        call print_text
        or a
        ret
.take:  call take_block
        jr c, .refuse
        jr z, .good
        ld a, (block)           ; the one before comes again where its answer was lost
        dec a
        cp c
        jr z, .answer
        jr .given_up
.good:  ld (to), de
        ld hl, block
        inc (hl)
.answer: ld a, ack
        call print
        jr .next
.refuse: call drain
        ld a, nak
        call print
        djnz .wait
        jr .given_up
.done:  ld a, ack
        call print
        ld a, 1                 ; the sender's side gets its console back
        call timed
        call new_line
        ld hl, (to)
        ld de, (from)
        or a
        sbc hl, de
        ex de, hl
        call print_word
        ld hl, bytes_taken
        call print_text
        or a
        ret

; A block of HL bytes to `to`: DE is after it, C its number. C flag where it is damaged, Z where its number is the right one.
take_block: push bc
        ld a, 1
        call timed
        jr c, .lost
        ld c, a
        ld a, 1
        call timed
        jr c, .lost
        cpl
        cp c
        jr nz, .lost
        ld a, c
        ld (number_seen), a
        ld de, (to)
        ld bc, 0                ; the check
.byte:  ld a, 1
        call timed
        jr c, .lost
        ld (de), a
        inc de
        call add_check
        dec hl
        ld a, h
        or l
        jr nz, .byte
        ld a, (asks)
        cp nak
        jr z, .sum
        ld a, 1
        call timed
        jr c, .lost
        cp b
        jr nz, .lost
.sum:   ld a, 1
        call timed
        jr c, .lost
        cp c
        jr nz, .lost
        pop bc
        ld a, (number_seen)
        ld c, a
        ld a, (block)
        cp c
        scf
        ccf
        ret
.lost:  pop bc
        scf
        ret

; A into the check in BC: CRC-16, or a sum in C.
add_check: push hl
        ld l, a
        ld a, (asks)
        cp nak
        ld a, l
        pop hl
        jr nz, add_crc
        add a, c
        ld c, a
        ret

; A into the CRC in BC: polynomial 1021h, the highest bit first.
add_crc: push de
        xor b
        ld b, a
        ld e, 8
.bit:   sla c
        rl b
        jr nc, .no
        ld a, c
        xor 21h
        ld c, a
        ld a, b
        xor 10h
        ld b, a
.no:    dec e
        jr nz, .bit
        pop de
        ret

show_crc: call stretch
        ret c
        ld d, b                 ; how many in DE
        ld e, c
        ld bc, 0
.byte:  ld a, (hl)
        inc hl
        call add_crc
        dec de
        ld a, d
        or e
        jr nz, .byte
        ld d, b
        ld e, c
        call print_word
        call new_line
        or a
        ret

; A character within some A seconds; C where none comes.
timed:  push hl
        push bc
        ld b, a
.second: ld hl, 0
.poll:  in a, (status)
        rra
        jr c, .got
        dec hl
        ld a, h
        or l
        jr nz, .poll
        djnz .second
        scf
        jr .end
.got:   in a, (data)
        or a
.end:   pop bc
        pop hl
        ret

; What is still coming is thrown away.
drain:  ld a, 1
        call timed
        jr nc, drain
        ret

begin_sending: text zero, "begin sending\r\n"
nobody: text zero, "\r\nnothing was received\r\n"
cancelled: text zero, "\r\nthe sender has cancelled\r\n"
bytes_taken: text zero, " bytes received\r\n"


        include "curlew-give.asm"
        include "curlew-tape.asm"

; --- the monitor's RAM

        org work
saved.iy: ds 2
saved.ix: ds 2
saved.second: ds 8
saved.de: ds 2
saved.bc: ds 2
saved.af: ds 2
saved.hl: ds 2
saved.sp: ds 2
saved.pc: ds 2
stops:  ds 3 * stops_most       ; address, and the byte that was there
stops_set: ds 1
records: ds 2
wrong:  ds 2
kind:   ds 1
digit_at: ds 1
from:   ds 2
to:     ds 2
block:  ds 1
asks:   ds 1
number_seen: ds 1
line:   ds length + 2
level:  ds 1
fast:   ds 1
rest:   ds 1
sends:  ds 1
inside: ds 1                    ; bit 7: in a block; bit 6: in a program
units:  ds 1                    ; halves of 2400 Hz in a bit
inplace: ds 1
missing: ds 1
sum:    ds 2
whole:  ds 2
kept:   ds 2
quiet:  ds 2
top:    ds 2
at:     ds 2
left:   ds 2
blocks: ds 2
expected: ds 2
starts: ds 2
wish:   ds 2
tape_kind: ds 1
tape_number: ds 2
tape_length: ds 1
head:   ds 28                   ; what a header carries
variables_end: demand variables_end <= stack - 60, "the monitor's stack has room"
