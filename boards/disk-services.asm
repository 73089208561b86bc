; The resident part of the disk system, for boards with an 8080 or a processor that runs its code. What a program calls at 0005h with
; a number in C and a value in DE leads here; the console calls are done, the others handed over at the disk link.
;
; The board's own source sets: top (a whole page), disk_link, con_status, con_data, con_got, con_room, and con_setup, two bytes that
; set its console up, or 0.

warm    equ 0                   ; a jump here ends a program
io_byte equ 3
call_at equ 5
program equ 100h

        org top
        jmp services            ; the address in this jump's place is where the transient area ends

; The console and the drive by a table of jumps, for programs that go past the calls. Cell 0001h has the address of its second one.
        org top + 100h
table:  jmp end                 ; cold start
warm_start: jmp end             ; warm start
        jmp con_ready           ; console status
        jmp key                 ; console input
        jmp say                 ; console output, from C
        jmp direct              ; list, punch and reader
        jmp direct
        jmp direct
        copies 9, number        ; the drive
        jmp direct
        endcopies

; Where the disk system begins: page zero, the console, the program's stack.
start:  mvi a, 0C3h
        sta warm
        sta call_at
        lxi h, warm_start
        shld warm + 1
        lxi h, top
        shld call_at + 1
        xra a
        sta io_byte
        sta io_byte + 1
        if con_setup
        mvi a, high con_setup
        out con_status
        mvi a, low con_setup
        out con_status
        endif
        lxi sp, top
        lxi h, warm             ; a program that returns has ended
        push h
        jmp program

end:    mvi a, 1
        out disk_link
        hlt

direct: mvi a, 2
        out disk_link
        hlt

services: mov a, c
        cpi 12
        jz version
        jnc hand_over
        cpi 3                   ; reader, punch and list are not here
        jc console
        cpi 6
        jnc console
hand_over: xra a
        out disk_link
        ret

version: lxi h, 22h
        mov a, l
        mov b, h
        ret

; A console call, on a stack of its own.
console: lxi h, 0
        dad sp
        shld old_stack
        lxi sp, stack
        lxi h, back
        push h
        mov l, a
        mvi h, 0
        dad h
        mov a, e
        lxi b, routines
        dad b
        mov c, m
        inx h
        mov b, m
        push b
        ret                     ; to the routine, with the low byte of the value in A

back:   lhld old_stack
        sphl
        mov l, a
        mvi h, 0
        mov b, h
        ret

routines: dw end, in_echo, out_tabs, end, end, end, direct_console, get_io, set_io, print_text, read_line, con_ready

get_io: lda io_byte
        ret

set_io: sta io_byte
        ret

; A is 0FFh where a character has come, else 0.
con_ready: in con_status
        ani con_got
        rz
        mvi a, 0FFh
        ret

key:    in con_status
        ani con_got
        jz key
        in con_data
        ani 7Fh
        ret

; The character in C as it is, and the same for A.
say:    mov a, c
put:    push psw
.wait:  in con_status
        ani con_room
        jz .wait
        pop psw
        out con_data
        ret

in_echo: call key
        push psw
        cpi ' '
        jnc .seen
        cpi 8
        jc .unseen
        cpi 14
        jnc .unseen
.seen:  call out_tabs
.unseen: pop psw
        ret

; The character in A, tabs as blanks up to the next eighth column.
out_tabs: cpi 9
        jz .tab
        call put
        cpi 13
        jz .begin
        cpi 8
        jz .back
        cpi ' '
        rc
        lda column
        inr a
        sta column
        ret
.begin: xra a
        sta column
        ret
.back:  lda column
        ora a
        rz
        dcr a
        sta column
        ret
.tab:   mvi a, ' '
        call put
        lda column
        inr a
        sta column
        ani 7
        jnz .tab
        ret

direct_console: inr a           ; 0FFh asks for a character
        jz .in
        inr a                   ; 0FEh for the status
        jz con_ready
        mov a, e
        jmp put
.in:    call con_ready
        ora a
        rz
        jmp key

print_text: ldax d
        cpi '$'
        rz
        call out_tabs
        inx d
        jmp print_text

; A line into the buffer at DE: how many it takes, how many came, the characters.
read_line: xchg
        mov c, m
        inx h
        push h
        mvi b, 0
.next:  inx h
.again: call key
        cpi 13
        jz .end
        cpi 10
        jz .end
        cpi 8
        jz .rub
        cpi 7Fh
        jz .rub
        cpi 3
        jz .stop
        mov m, a
        call out_tabs
        inr b
        mov a, b
        cmp c
        jnz .next
.end:   pop h
        mov m, b
        mvi a, 13
        jmp out_tabs
.stop:  mov a, b                ; control C at the beginning of a line ends the program
        ora a
        jz end
        jmp .again
.rub:   mov a, b
        ora a
        jz .again
        dcr b
        dcx h
        mvi a, 8
        call out_tabs
        mvi a, ' '
        call put
        mvi a, 8
        call put
        jmp .again

column: db 0
old_stack: dw 0
        ds 48
stack:
