; dump: the bytes of a file in hex and as characters, sixteen to a row. A program for a disk system, for the 8080 and whatever runs
; its code.
;
;     plainbyte run demo/dump.asm --board curlew --disk demo/disk TIDES.TXT

        cpu 8080
        image com, "dump.com"

system  equ 5
out_char equ 2                  ; prints E
print   equ 9                   ; prints the text at DE, up to a dollar sign
open    equ 15
read    equ 20
block   equ 5Ch                 ; the control block of the first word after the program's name
record  equ 80h                 ; where a record is read to

        org 100h
start:  lda block + 1
        cpi ' '
        lxi d, no_name
        jz say
        lxi d, block
        mvi c, open
        call system
        inr a                   ; 0FFh: there is no such file
        lxi d, no_file
        jz say
        xra a
        sta block + 32          ; from the first record on
        lxi h, 0
        shld place
next:   lxi d, block
        mvi c, read
        call system
        ora a
        rnz                     ; the end of the file is the end of the program
        lxi h, record
row:    push h
        lhld place
        mov a, h
        call byte
        mov a, l
        call byte
        lxi d, 16
        dad d
        shld place
        mvi a, ' '
        call char
        pop h
        push h
        mvi b, 16
.hex:   mvi a, ' '
        call char
        mov a, m
        call byte
        inx h
        dcr b
        jnz .hex
        mvi a, ' '
        call char
        call char
        pop h
        mvi b, 16
.text:  mov a, m
        cpi 20h
        jc .hidden
        cpi 7Fh
        jc .plain
.hidden: mvi a, '.'
.plain: call char
        inx h
        dcr b
        jnz .text
        mvi a, 13
        call char
        mvi a, 10
        call char
        mov a, l                ; the record ends with the page
        ora a
        jnz row
        jmp next

say:    mvi c, print
        jmp system              ; whose return ends the program

; A as two digits.
byte:   push psw
        rrc
        rrc
        rrc
        rrc
        call .digit
        pop psw
.digit: ani 0Fh
        adi 90h
        daa
        aci 40h
        daa
; The character in A; every register is kept.
char:   push psw
        push b
        push d
        push h
        mov e, a
        mvi c, out_char
        call system
        pop h
        pop d
        pop b
        pop psw
        ret

no_name: text marker('$'), "dump NAME: which file?\r\n"
no_file: text marker('$'), "there is no such file\r\n"
place:  ds 2
