; sort-boats: sorts the records of a file where they lie. Each has 128 bytes and begins with a boat's name; nothing but two of them is
; ever in memory. The smallest of those that are left is looked for and changes places with the first of them.
;
;     plainbyte run demo/sort-boats.asm --board curlew --disk FOLDER --writable BOATS.DAT

        cpu z80
        image com, "sort.com"

system  equ 5
print   equ 9
open    equ 15
close   equ 16
transfer equ 26
read_at equ 33
write_at equ 34
size    equ 35
block   equ 5Ch
number  equ block + 33          ; the record that is meant
key     equ 16                  ; so many characters are compared

        org 100h
start:  ld de, block
        ld c, open
        call system
        inc a
        ld de, no_file
        jp z, say
        ld de, block
        ld c, size
        call system
        ld hl, (number)
        ld (count), hl
        ld hl, 0
pass:   ld (first), hl          ; the first record that is not in its place
        inc hl
        ld de, (count)
        or a
        sbc hl, de
        jr nc, done
        add hl, de
        ld (next), hl
        ld hl, (first)
        ld (least), hl
        ld de, small
        call fetch
.look:  ld hl, (next)
        ld de, other
        call fetch
        call compare
        jr nc, .not_less
        ld hl, (next)
        ld (least), hl
        ld hl, other
        ld de, small
        ld bc, 128
        ldir
.not_less: ld hl, (next)
        inc hl
        ld (next), hl
        ld de, (count)
        or a
        sbc hl, de
        jr c, .look
        ld hl, (least)          ; the two change places
        ld de, (first)
        or a
        sbc hl, de
        jr z, .right
        ex de, hl
        ld de, other
        call fetch
        ld hl, (first)
        ld de, small
        call store
        ld hl, (least)
        ld de, other
        call store
.right: ld hl, (first)
        inc hl
        jr pass
done:   ld de, block
        ld c, close
        call system
        ld de, sorted
say:    ld c, print
        jp system

; C where the key of `other` is less than that of `small`.
compare: ld hl, small
        ld de, other
        ld b, key
.next:  ld a, (de)
        cp (hl)
        ret nz
        inc hl
        inc de
        djnz .next
        or a
        ret

; Record HL to the 128 cells at DE, and from there.
fetch:  ld a, read_at
        jr move
store:  ld a, write_at
move:   push af
        push hl
        ld c, transfer
        call system
        pop hl
        ld (number), hl
        xor a
        ld (number + 2), a
        pop af
        ld c, a
        ld de, block
        call system
        or a
        ret z
        ld de, torn
        call say
        jp 0

no_file: text marker('$'), "sort-boats NAME: there is no such file\r\n"
sorted: text marker('$'), "sorted\r\n"
torn:   text marker('$'), "a record could not be read or written\r\n"
count:  ds 2
first:  ds 2
next:   ds 2
least:  ds 2
small:  ds 128
other:  ds 128
