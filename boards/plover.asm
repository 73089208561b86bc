; plover: the resident start-up of the 8085 trainer, 2K of ROM at 0000h.
;
; It sets the stack, fills the vectors in RAM with defaults, clears the lamps and waits for the operator at `ready`.
; Four routines stand at fixed addresses from 0040h; they are the board's whole firmware interface.

        cpu 8085

lamps   equ 10h                 ; output port, a lamp a bit
vectors equ 0FFC0h              ; sixteen places of four cells: JMP, address, one spare
stack   equ vectors             ; the stack grows down from below the vectors
clock   equ 3072000             ; T-states a second
baud    equ 1200
bit_time equ clock / baud       ; 2560 T-states a bit

        org 0
        jmp start

; The restarts of the program (RST 1 to 7) and the interrupt keys go through the vectors in RAM, so that a program
; can put its own address there.
        org 08h
        jmp vectors + 4         ; RST 1
        org 10h
        jmp vectors + 8         ; RST 2
        org 18h
        jmp vectors + 12        ; RST 3
        org 20h
        jmp vectors + 16        ; RST 4
        org 24h
        jmp vectors + 32        ; TRAP
        org 28h
        jmp vectors + 20        ; RST 5
        org 2Ch
        jmp vectors + 36        ; RST 5.5
        org 30h
        jmp vectors + 24        ; RST 6
        org 34h
        jmp vectors + 40        ; RST 6.5
        org 38h
        jmp vectors + 28        ; RST 7 and INTR
        org 3Ch
        jmp vectors + 44        ; RST 7.5

; The firmware interface.
        org 40h
send:   jmp send_character      ; sends the character in C; keeps every register but A and the flags
        org 44h
receive: jmp receive_character  ; waits for a character and brings it in A; keeps the other registers
        org 48h
print:  jmp print_text          ; sends the text at HL up to a zero byte; HL ends at the zero
        org 4Ch
pause:  jmp pause_ms            ; waits as many milliseconds as C says, 0 as 256

start:  lxi sp, stack
        lxi h, vectors          ; every vector begins as a JMP to `ignore`
        mvi b, 12
fill:   mvi m, 0C3h
        inx h
        mvi m, low ignore
        inx h
        mvi m, high ignore
        inx h
        mvi m, 0
        inx h
        dcr b
        jnz fill
        xra a
        out lamps
        mvi a, 11000000b        ; SOD to 1: the serial line is at rest
        sim
        mvi a, 1Fh              ; every mask set, RST 7.5 forgotten
        sim
        xra a                   ; a program begins with clear registers and flags
        mov b, a
        mov c, a
        mov d, a
        mov e, a
        mov h, a
        mov l, a
        ora a
ready:  hlt                     ; the operator loads a program and starts it
        jmp ready

; An interrupt that no program asked for is answered and forgotten.
ignore: ei
        ret

; One start bit, eight data bits, lowest first, one stop bit.
send_character:
        push b
        push d
        mvi b, 10               ; bits to send
        xra a                   ; the start bit is a 0
        jmp .put
.next:  mov a, c                ; the next data bit into the carry, a 1 in from the left for the stop bit
        stc
        rar
        mov c, a
        mvi a, 0
        rar                     ; the bit to bit 7
.put:   ori 01000000b           ; SOD enable
        sim                     ; 
        lxi d, (bit_time - 69) / 24
        call delay
        dcr b
        jnz .next
        pop d
        pop b
        ret

; Waits for the start bit, then looks at the middle of each of eight data bits.
receive_character:
        push b
        push d
.wait:  rim
        ral
        jc .wait
        lxi d, (bit_time / 2 - 40) / 24
        call delay              ; the middle of the start bit
        mvi b, 8
.next:  lxi d, (bit_time - 75) / 24
        call delay
        rim
        ral                     ; SID into the carry
        mov a, c
        rar
        mov c, a
        dcr b
        jnz .next
        lxi d, bit_time / 24
        call delay              ; into the stop bit
        mov a, c
        pop d
        pop b
        ret

; 24 T-states a turn and some 40 around them.
delay:  dcx d                   ; 6
        mov a, d                ; 4
        ora e                   ; 4
        jnz delay               ; 10, the last time 7
        ret                     ; 10

print_text:
        mov a, m
        ora a
        rz
        push b
        mov c, a
        call send_character
        pop b
        inx h
        jmp print_text

pause_ms:
        push d
.next:  lxi d, (clock / 1000 - 34) / 24
        call delay
        dcr c
        jnz .next
        pop d
        ret

        demand $ <= 800h, "the firmware must fit the 2K ROM"
