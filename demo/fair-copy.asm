; fair-copy: a text filter. The lines of a file go into a new one, numbered, without blanks at their ends and without empty lines; the
; new file then takes the name of the old one, which is kept as a .BAK. For the 8080 and whatever runs its code.
;
;     plainbyte run fair-copy --board gannet --disk papers --writable log.txt

        cpu 8080
        image com, "faircopy.com"

system  equ 5
print   equ 9
open    equ 15
close   equ 16
delete  equ 19
read    equ 20
write   equ 21
make    equ 22
rename  equ 23
transfer equ 26
block   equ 5Ch
end_mark equ 1Ah

        org 100h
start:  lxi h, block            ; the new file's name, and the kept one's
        lxi d, new
        call copy_name
        lxi h, block
        lxi d, kept
        call copy_name
        lxi h, temporary
        lxi d, new + 9
        call copy_ending
        lxi h, backup
        lxi d, kept + 9
        call copy_ending
        lxi d, block
        mvi c, open
        call system
        inr a
        lxi d, no_file
        jz say
        xra a
        sta block + 32
        lxi d, new              ; what a run that was broken off has left
        mvi c, delete
        call system
        lxi d, new
        mvi c, make
        call system
        inr a
        lxi d, no_room
        jz say
line:   call read_line
        push psw                ; the carry says that this was the last one
        call trim
        cnz put_line
        pop psw
        jnc line
        mvi a, end_mark
        call put
        call flush
        lxi d, new
        mvi c, close
        call system
        lxi d, kept             ; only now the old one goes
        mvi c, delete
        call system
        lxi d, block
        lxi h, kept
        call change_name
        lxi d, new
        lxi h, block
        call change_name
        lxi d, done
say:    mvi c, print
        jmp system

; Drive and name of the block at HL to the one at DE.
copy_name: mvi b, 12
        jmp copy
copy_ending: mvi b, 3
copy:   mov a, m
        stax d
        inx h
        inx d
        dcr b
        jnz copy
        ret

; The file of the block at DE gets the name of the block at HL.
change_name: push d
        lxi b, 16
        xchg
        dad b
        xchg
        mvi b, 12
        call copy
        pop d
        mvi c, rename
        jmp system

; A line of the old file in `line_read`, its length in `length`; C at the end of the file.
read_line: lxi h, line_read
        xra a
        sta length
.next:  push h
        call get
        pop h
        rc
        cpi 10
        rz
        cpi 13
        jz .next
        mov b, a
        lda length
        cpi most
        jz .next                ; the rest of a line that is too long is left out
        inr a
        sta length
        mov m, b
        inx h
        jmp .next

; Takes blanks off the end of the line; Z where nothing is left.
trim:   lda length
        ora a
        rz
        mov e, a
        mvi d, 0
        lxi h, line_read - 1
        dad d
        mov a, m
        cpi ' '
        rnz
        lda length
        dcr a
        sta length
        jmp trim

; The number of the line in two digits, a blank, the line.
put_line: lda number
        adi 1
        daa
        sta number
        push psw
        rrc
        rrc
        rrc
        rrc
        call put_digit
        pop psw
        call put_digit
        mvi a, ' '
        call put
        lda length
        mov b, a
        lxi h, line_read
.next:  mov a, m
        push h
        push b
        call put
        pop b
        pop h
        inx h
        dcr b
        jnz .next
        mvi a, 13
        call put
        mvi a, 10
        jmp put

put_digit: ani 0Fh
        adi '0'
; A into the new file.
put:    lhld to
        mov m, a
        inx h
        shld to
        mov a, l
        cpi low(out_record + 128)
        rnz
        lxi d, out_record
        mvi c, transfer
        call system
        lxi d, new
        mvi c, write
        call system
        lxi h, out_record
        shld to
        ora a
        rz
        lxi d, no_room
        mvi c, print
        call system
        jmp 0

; Fills the last record up and writes it.
flush:  lhld to
        mov a, l
        cpi low out_record
        rz
        mvi a, end_mark
        call put
        jmp flush

; The next byte of the old file in A; C at its end.
get:    lhld from
        mov a, l
        cpi low(in_record + 128)
        jnz .there
        lxi d, in_record
        mvi c, transfer
        call system
        lxi d, block
        mvi c, read
        call system
        ora a
        stc
        rnz
        lxi h, in_record
.there: mov a, m
        inx h
        shld from
        cpi end_mark
        stc
        rz
        ora a
        ret

temporary: db "$$$"
backup: db "BAK"
no_file: text marker('$'), "fair-copy NAME: there is no such file\r\n"
no_room: text marker('$'), "there is no room on the disk\r\n"
done:   text marker('$'), "copied\r\n"
most    equ 80
number: db 0
length: db 0
from:   dw in_record + 128
to:     dw out_record
new:    ds 36, 0
kept:   ds 36, 0
line_read: ds most
        align 128
in_record: ds 128
out_record: ds 128
