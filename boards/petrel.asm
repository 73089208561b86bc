; The firmware of petrel: what happens at power-on, the interrupts of timer and keyboard, and the boot services behind their customary
; interrupts. The calls of programs on the disk and the resident prompt stand in files of their own.
;
; Its cells, from 0400h on, are where programs for such boards look for them.

        cpu 8086

; Chips.
pic     equ 20h                 ; 8259
pit     equ 40h                 ; 8253
keys    equ 60h                 ; 8255: A the keyboard's number, B its pulse and the speaker
controls equ 61h
adapter equ 3D4h                ; 6845, then mode, border, status
services equ 0E0h               ; the service link
tap     equ 0E8h                ; what is shown goes to the console's far end, too

link_call equ services          ; a call of a program
link_end equ services + 1       ; the program has ended
link_drive equ services + 2     ; the drive

; Cells, in segment 0.
com_ports equ 400h
equipment equ 410h
memory_size equ 413h
shifts  equ 417h
key_head equ 41Ah
key_tail equ 41Ch
key_buffer equ 41Eh
mode    equ 449h
columns equ 44Ah
page_size equ 44Ch
page_start equ 44Eh
cursors equ 450h                ; a word to a page
cursor_shape equ 460h
page    equ 462h
crt_port equ 463h
crt_mode equ 465h
ticks   equ 46Ch
midnight equ 470h
key_first equ 480h
key_end equ 482h

rows    equ 25
screen  equ 0B800h

        org 0F000h:0C000h
begin:  cli
        cld
        xor ax, ax
        mov ds, ax
        mov es, ax
        mov ss, ax
        mov sp, 400h
        xor di, di              ; every vector leads to a plain return
        mov cx, 256
.vector: mov ax, nothing
        stosw
        mov ax, cs
        stosw
        loop .vector
        mov si, vectors         ; but for these
.own:   cs lodsw
        cmp ax, -1
        je .chips
        mov di, ax
        cs movsw
        jmp .own
.chips: mov al, 13h             ; edges, a single one, a fourth word comes
        out pic, al
        mov al, 8               ; levels 0 to 7 are interrupts 8 to 15
        out pic + 1, al
        mov al, 1
        out pic + 1, al
        mov al, 0FCh            ; timer and keyboard
        out pic + 1, al
        mov al, 99h             ; A and C come in, B goes out
        out keys + 3, al
        mov al, 80h
        out controls, al
        xor al, al
        out controls, al
        mov al, 36h             ; counter 0: square wave of 65536 pulses
        out pit + 3, al
        xor al, al
        out pit, al
        out pit, al
        mov di, 400h
        mov cx, 80h
        xor ax, ax
        rep stosw
        mov word [com_ports], 3F8h
        mov word [equipment], 0221h ; a drive, 80 columns, a serial line
        mov word [memory_size], 640
        mov word [key_head], 1Eh
        mov word [key_tail], 1Eh
        mov word [key_first], 1Eh
        mov word [key_end], 3Eh
        mov ax, 3
        int 10h
        sti
        xor ax, ax
        mov bx, ax
        mov cx, ax
        mov dx, ax
        mov si, ax
        mov di, ax
        mov bp, ax
ready:  int 19h                 ; the machine waits here for a program

; Where each interrupt leads: its vector, and the routine.
vectors:
        dw 4 * 08h, tick, 4 * 09h, key_struck
        dw 4 * 10h, video, 4 * 11h, equipped, 4 * 12h, memory, 4 * 13h, drive, 4 * 14h, serial
        dw 4 * 16h, keyboard, 4 * 18h, prompt, 4 * 19h, boot, 4 * 1Ah, time_of_day, 4 * 1Eh, drive_table
        dw 4 * 20h, end_program, 4 * 21h, program_call, 4 * 23h, broken, 4 * 24h, critical, 4 * 27h, stay, 4 * 29h, show
        dw -1

nothing: iret

; A sector with a signature on the drive is loaded at 7C00h and started; without one the prompt comes up.
boot:   cli
        xor ax, ax
        mov ds, ax
        mov es, ax
        mov ss, ax
        mov sp, 400h
        sti
        xor dx, dx
        int 13h
        jc .none
        mov ax, 0201h
        mov bx, 7C00h
        mov cx, 1
        int 13h
        jc .none
        cmp word [7DFEh], 0AA55h
        jne .none
        xor dx, dx
        jmp 0:7C00h
.none:  jmp prompt

; Eighteen times a second.
tick:   push ds
        push ax
        xor ax, ax
        mov ds, ax
        inc word [ticks]
        jnz .day
        inc word [ticks + 2]
.day:   cmp word [ticks + 2], 18h
        jne .user
        cmp word [ticks], 0B0h
        jne .user
        mov [ticks], ax
        mov [ticks + 2], ax
        mov byte [midnight], 1
.user:  int 1Ch
        mov al, 20h
        out pic, al
        pop ax
        pop ds
        iret

; CX:DX is the number of ticks since midnight; AL tells whether one has passed.
time_of_day: push ds
        push ax
        xor ax, ax
        mov ds, ax
        pop ax
        cmp ah, 1
        ja .unknown
        je .set
        mov cx, [ticks + 2]
        mov dx, [ticks]
        mov al, [midnight]
        mov byte [midnight], 0
        pop ds
        iret
.set:   mov [ticks + 2], cx
        mov [ticks], dx
        mov byte [midnight], 0
        pop ds
        iret
.unknown: pop ds
        stc
        retf 2

equipped: push ds
        xor ax, ax
        mov ds, ax
        mov ax, [equipment]
        pop ds
        iret

memory: push ds
        xor ax, ax
        mov ds, ax
        mov ax, [memory_size]
        pop ds
        iret

; The drive: the machine itself does it, and sets the registers and the carry flag of the caller.
drive:  sti
        out link_drive, al
        iret

; What a drive is driven with, as programs find it at the vector of 1Eh: 512 bytes to a sector, 9 sectors to a track.
drive_table: db 0CFh, 2, 37, 2, 9, 2Ah, 0FFh, 50h, 0F6h, 15, 8

; The serial line: AH = 0 sets it up as AL says, 1 sends AL, 2 receives, 3 tells its state.
serial: sti
        push dx
        push cx
        push bx
        mov dx, 3F8h
        cmp ah, 1
        jb .setup
        je .send
        cmp ah, 3
        jb .receive
        je .state
        jmp .out
.setup: mov bl, al
        mov cl, 4               ; seven words of the rate, from bits 5 to 7
        rol bl, cl
        and bx, 0Eh
        mov cx, cs:[bx + rates]
        mov bl, al
        add dx, 3
        mov al, 80h
        out dx, al
        mov dx, 3F8h
        mov al, cl
        out dx, al
        inc dx
        mov al, ch
        out dx, al
        add dx, 2
        mov al, bl
        and al, 1Fh
        out dx, al
        jmp .state
.send:  mov bl, al
        mov bh, 20h             ; room for one
        call .wait
        mov dx, 3F8h
        mov al, bl
        jz .late
        out dx, al
        jmp .out
.receive: mov bh, 1
        call .wait
        mov dx, 3F8h
        jz .late
        in al, dx
        and ah, 1Eh
        jmp .out
.late:  or ah, 80h
        jmp .out
.state: mov dx, 3FDh
        in al, dx
        mov ah, al
        inc dx
        in al, dx
.out:   pop bx
        pop cx
        pop dx
        iret
; Waits for bits BH of the line's state; AH is the state, zero where they do not come.
.wait:  mov dx, 3FDh
        mov cx, 0
.again: in al, dx
        mov ah, al
        test al, bh
        loopz .again
        ret

rates:  dw 1047, 768, 384, 192, 96, 48, 24, 12

        include "petrel-screen.asm"
        include "petrel-keys.asm"
        include "petrel-calls.asm"
        include "petrel-prompt.asm"
        include "petrel-tape.asm"

        pad 0FFF0h, 0FFh
        jmp 0F000h:begin
        pad 0FFF5h, 0FFh
        db "petrel"
        pad 0FFFEh, 0FFh
        db 0FFh, 0
