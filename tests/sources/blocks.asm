        cpu 8085
lamps   equ 10h
        macro flash port, times = 3
        mvi b, times
again:  mvi a, 0FFh
        out port
        xra a
        out port
        dcr b
        jnz again
        endm
        macro twice value
        db value * 2
        endm

        region rom, 0, 3Fh, 0FFh
        region work, 4000h, 40FFh
        region rom
start:  flash lamps
        flash times = 5, port = lamps + 1
        twice 3 + 4
        space horn
count:  db 1, 2
next:   ds after - before
        cycle
        dcr a
        leave z
        when c
        inr b
        otherwise
        inr c
        endwhen
        lda count
        endcycle nc
limit   equ 5
        endspace
        region work
before: copies 3, i
        db i, i * 2
here:   dw here
        endcopies
after:  lda horn.count
        text zero, "fog", 13
        text marker('$'), "fog"
        text high-bit, "fog"
        text counted, "fog"
        text six-bit, "FOGS"
        text seven-bit, "fog"
        hlt
        embed "horn.bin", 1, 2
        image hex, "blocks.hex", record = 8
        image roms, "chip.bin", size = 2000h, lanes = 2
