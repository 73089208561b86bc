        cpu 8085
print   equ 48h
lamps   equ 10h
        org 4000h
        lxi sp, 4000h
        ei
        lxi h, message
        call print
        lda lamps
        sta count
        call counter
loop:   jmp loop
        mvi a, 1
        out lamps
        hlt
counter: inr a
        ret
countr: ret
unused: nop     ; allow unreachable, allow unused-label
message: db "fog"
other:  db 0
count:  ds 1
        image com, "w.com"
