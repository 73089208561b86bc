; tide-table: the heights of a day, read from a file of lines such as `03:12 4.1 m`, as a table with a bar for each, and the highest
; one. A program for a disk system.
;
;     plainbyte run demo/tide-table.asm --board curlew --disk demo/disk tides.txt

        cpu z80
        image com, "tides.com"

system  equ 5
out_char equ 2
print   equ 9
open    equ 15
read    equ 20
block   equ 5Ch
record  equ 80h
end_mark equ 1Ah

        org 100h
start:  ld de, block
        ld c, open
        call system
        inc a
        ld de, no_file
        jr z, say
        ld hl, record + 128     ; nothing is read yet
        ld (next), hl
        call line               ; the first line is the heading
        ld hl, buffer
        call show_text
        call new_line
.each:  call line
        jr c, .end
        ld hl, buffer
        ld a, (hl)
        or a
        jr z, .each
        call show_text
        call height
        ld hl, highest
        cp (hl)
        jr c, .bar
        ld (hl), a
.bar:   ld b, a
        inc b
.more:  dec b                   ; a mark for every tenth of a metre
        jr z, .done
        ld e, '='
        call char
        jr .more
.done:  call new_line
        jr .each
.end:   ld de, high_is
        ld c, print
        call system
        ld a, (highest)
        ld b, '0'
.tens:  sub 10
        jr c, .ones
        inc b
        jr .tens
.ones:  add a, 10 + '0'
        push af
        ld e, b
        call char
        ld e, '.'
        call char
        pop af
        ld e, a
        call char
        ld de, metres
say:    ld c, print
        jp system

; The next line of the file in the buffer, a zero after it; C where there is none.
line:   ld hl, buffer
.next:  push hl
        call byte
        pop hl
        ret c
        cp 13
        jr z, .next
        cp 10
        jr z, .end
        ld (hl), a
        inc hl
        ld a, l
        cp low(buffer + 40)
        jr nz, .next
        dec hl                  ; what is too long is cut off
        jr .next
.end:   ld (hl), 0
        or a
        ret

; The next byte of the file in A; C at its end.
byte:   ld hl, (next)
        ld a, l
        or a
        jr nz, .there
        ld de, block
        ld c, read
        call system
        or a
        scf
        ret nz
        ld hl, record
.there: ld a, (hl)
        inc l                   ; 0 after the record's last byte
        ld (next), hl
        cp end_mark
        scf
        ret z
        or a
        ret

; The height in the buffer in tenths of a metre, in A: `4.1` stands at its seventh character.
height: ld a, (buffer + 6)
        sub '0'
        ld b, a
        add a, a
        add a, a
        add a, b
        add a, a
        ld b, a
        ld a, (buffer + 8)
        sub '0'
        add a, b
        ret

; The text at HL, filled up with blanks to fourteen.
show_text: ld b, 14
.next:  ld a, (hl)
        or a
        jr z, .fill
        ld e, a
        call char
        inc hl
        dec b
        jr .next
.fill:  ld a, b
        dec a
        ret m
        ld b, a
        ld e, ' '
        call char
        jr .fill

new_line: ld e, 13
        call char
        ld e, 10
; The character in E; BC and HL are kept.
char:   push hl
        push bc
        ld c, out_char
        call system
        pop bc
        pop hl
        ret

no_file: text marker('$'), "tide-table NAME: there is no such file\r\n"
high_is: text marker('$'), "the highest: "
metres: text marker('$'), " m\r\n"
highest: db 0
next:   ds 2
        align 64
buffer: ds 41
