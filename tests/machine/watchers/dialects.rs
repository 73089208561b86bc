//! How each family of processors writes the programs that are tried.

/// A family: templates in which `{a}` is a place's address, `{v}` a value, `{s}` a cell to remember something in.
pub struct Dialect {
    pub cpus: &'static [&'static str],
    /// On a board of the test's own: vectors, where the code begins, and the stack.
    pub head: &'static str,
    pub stack: &'static str,
    /// The interrupt routine and the program: `{handler}`, `{setup}` and `{rest}` stand where they belong.
    pub code: &'static str,
    /// Writes and reads a register among the memory, and at a port.
    pub memory: Option<[&'static str; 2]>,
    pub port: Option<[&'static str; 2]>,
    /// Of its own: interrupts on and off, masks, modes.
    pub own: &'static [&'static str],
    /// What the program does when everything is set up, for ever.
    pub rests: &'static [&'static str],
}

const VECTORS_80: &str = "        org 00h\n        jmp handler\n        org 08h\n        jmp handler
        org 10h\n        jmp handler\n        org 18h\n        jmp handler\n        org 20h\n        jmp handler
        org 24h\n        jmp handler\n        org 28h\n        jmp handler\n        org 2Ch\n        jmp handler
        org 30h\n        jmp handler\n        org 34h\n        jmp handler\n        org 38h\n        jmp handler
        org 3Ch\n        jmp handler\n";

const INTEL: Dialect = Dialect {
    cpus: &["8080", "8085", "8085u"],
    head: "{vectors}        org 300h\n",
    stack: "        lxi sp, 0F00h\n",
    code: "handler: push psw\n        push h\n        lxi h, 0A0h\n        inr m
{handler}        pop h\n        pop psw\n        ei\n        ret
start:  nop
{stack}{setup}{rest}        entry start\n",
    memory: Some(["        mvi a, {v}\n        sta {a}\n", "        lda {a}\n        sta {s}\n"]),
    port: Some(["        mvi a, {v}\n        out {a}\n", "        in {a}\n        sta {s}\n"]),
    own: &["        ei\n", "        di\n", "        ei\n", "        inr b\n        push b\n        pop b\n"],
    rests: &[
        "idle:   jmp idle\n",
        "        ei\nidle:   jmp idle\n",
        "        hlt\nidle:   jmp idle\n",
        "idle:   hlt\n        jmp idle\n",
        "idle:   lxi h, 0A8h\n        inr m\n        jmp idle\n",
        "idle:   lda 0A0h\n        ora a\n        jz idle\n        ei\n        hlt\n        inr b\n        jmp idle\n",
    ],
};

const ZILOG_RESTS: &[&str] = &[
    "idle:   jr idle\n",
    "        ei\nidle:   jp idle\n",
    "        ld ix, idle\nidle:   jp (ix)\n",
    "        halt\nidle:   jp idle\n",
    "idle:   halt\n        jr idle\n",
    "idle:   ld hl, 0A8h\n        inc (hl)\n        jr idle\n",
    "        ld hl, 400h\n        ld de, 500h\n        ld bc, 300h\n        ldir\nidle:   jr idle\n",
    "idle:   ei\n        halt\n        ld a, r\n        ld (0A9h), a\n        djnz idle\nstay:   jr stay\n",
];

const ZILOG_OWN: &[&str] = &[
    "        ei\n",
    "        di\n",
    "        im 0\n",
    "        im 1\n",
    "        im 2\n",
    "        ei\n        nop\n        scf\n",
    "        ld a, r\n        ld (0A9h), a\n",
    "        ld a, i\n        push af\n        pop bc\n",
];

const ZILOG: Dialect = Dialect {
    cpus: &["z80", "z80u", "ez80"],
    head: "{vectors}        org 66h\n        jp nmi
        org 700h\n        ds 257, 8\n        org 808h\n        jp handler\n        org 900h\n",
    stack: "        ld sp, 0F00h\n",
    code: "handler: push af\n        push hl\n        ld hl, 0A0h\n        inc (hl)
{handler}        pop hl\n        pop af\n        ei\n        reti
nmi:    push af\n        push hl\n        ld hl, 0A1h\n        inc (hl)\n        pop hl\n        pop af\n        retn
start:  ld a, 7\n        ld i, a
{stack}{setup}{rest}        entry start\n",
    memory: Some(["        ld a, {v}\n        ld ({a}), a\n", "        ld a, ({a})\n        ld ({s}), a\n"]),
    port: Some([
        "        ld bc, {a}\n        ld a, {v}\n        out (c), a\n",
        "        ld bc, {a}\n        in a, (c)\n        ld ({s}), a\n",
    ]),
    own: ZILOG_OWN,
    rests: ZILOG_RESTS,
};

/// The same with words of three bytes; the table of mode 2 leads to 080808h, which is memory, too.
const ZILOG_LONG: Dialect = Dialect {
    cpus: &["ez80adl"],
    head: "{vectors}        org 66h\n        jp nmi
        org 700h\n        ds 260, 8\n        org 080808h\n        jp handler\n        org 900h\n",
    ..ZILOG
};

const MOS: Dialect = Dialect {
    cpus: &["6502", "6502u", "65c02"],
    head: "        org 0FFFAh\n        dw nmi, start, handler\n        org 300h\n",
    stack: "",
    code: "handler: pha\n        inc 0A0h
{handler}        pla\n        rti
nmi:    inc 0A1h\n        rti
start:  cld
{setup}{rest}        entry start\n",
    memory: Some(["        lda #{v}\n        sta {a}\n", "        lda {a}\n        sta {s}\n"]),
    port: None,
    own: &[
        "        cli\n",
        "        sei\n",
        "        cli\n        nop\n",
        "        php\n        plp\n",
        "        brk\n        nop\n",
        "        clv\n",
    ],
    rests: &[
        "idle:   jmp idle\n",
        "        cli\nidle:   jmp idle\n",
        "        sei\nidle:   jmp idle\n",
        "idle:   inc 0A8h\n        jmp idle\n",
        "idle:   lda 0A0h\n        beq idle\n        ldx #9\nloop:   dex\n        bne loop\nstay:   jmp stay\n",
        "        db 0CBh\nidle:   jmp idle\n",
        "idle:   db 0CBh\n        nop\n        inc 0A8h\n        jmp idle\n",
    ],
};

/// Every vector leads to one routine.
const SEGMENTED: Dialect = Dialect {
    cpus: &["8086", "8088", "8086u"],
    head: "        org 0\n        copies 256, n\n        dw handler, 0\n        endcopies\n        org 600h\n",
    stack: "        mov sp, 0F00h\n",
    code: "handler: push ax\n        inc byte ptr [0A0h]
{handler}        pop ax\n        iret
start:  cld
{stack}{setup}{rest}        entry start\n",
    memory: Some([
        "        mov al, {v}\n        mov [{a}], al\n",
        "        mov al, [{a}]\n        mov [{s}], al\n",
    ]),
    port: Some([
        "        mov dx, {a}\n        mov al, {v}\n        out dx, al\n",
        "        mov dx, {a}\n        in al, dx\n        mov [{s}], al\n",
    ]),
    own: &[
        "        sti\n",
        "        cli\n",
        "        sti\n        nop\n",
        "        pushf\n        popf\n",
        "        mov ax, 0\n        mov es, ax\n        inc bx\n",
        "        pushf\n        pop ax\n        or ax, 100h\n        push ax\n        popf\n        inc cx\n",
        "        int 3\n",
        "        xor bl, bl\n        div bl\n",
    ],
    rests: &[
        "idle:   jmp idle\n",
        "        sti\nidle:   jmp idle\n",
        "        hlt\nidle:   jmp idle\n",
        "        sti\nidle:   hlt\n        jmp idle\n",
        "idle:   inc byte ptr [0A8h]\n        jmp idle\n",
        "        sti\n        mov si, 400h\n        mov di, 500h\n        mov cx, 300h\n        rep es movsb\nidle:   jmp idle\n",
        "idle:   sti\n        hlt\n        mov cx, 20\nloop2:  loop loop2\n        jmp idle\n",
    ],
};

const TWELVE: Dialect = Dialect {
    cpus: &["pdp8"],
    head: "",
    stack: "",
    code: "        org 0\n        dw 0\n        jmp handler\n        org 20\n        dw 0, 0, 0, 0, 0, 0, 0, 0, 0, 0
        org 400
handler: dca 20\n        isz 21\n        nop
{handler}        cla\n        tad 20\n        ion\n        jmp i 0
        org 200
start:  cla cll
{setup}{rest}        entry start\n",
    memory: None,
    port: Some(["        cla\n        tad #{v}\n        dw {a}\n", "        cla\n        dw {a}\n        dca {s}\n"]),
    own: &["        ion\n", "        iof\n", "        ion\n", "        dw 6007\n"],
    rests: &[
        "idle:   jmp idle\n",
        "        ion\nidle:   jmp idle\n",
        "        ion\nidle:   isz 24\n        jmp idle\n        jmp idle\n",
        "        ion\nidle:   hlt\n        jmp idle\n",
    ],
};

const THIRTY_SIX: Dialect = Dialect {
    cpus: &["pdp10"],
    head: "",
    stack: "",
    code: "        org 42\n        jsr handler\n        jsr handler\n        jsr handler\n        jsr handler\n        jsr handler
        jsr handler\n        jsr handler\n        jsr handler\n        jsr handler\n        jsr handler\n        jsr handler
        jsr handler\n        jsr handler\n        jsr handler
        org 200
handler: dw 0\n        movem 1, 20\n        aos 21
{handler}        move 1, 20\n        jen @handler
start:  setz 1,
{setup}{rest}        entry start\n",
    memory: None,
    port: Some(["        movei 1, {v}\n        {a}\n", "        {a}\n        movem 1, {s}\n"]),
    own: &[
        "        cono pi, 2377\n",
        "        cono pi, 400\n",
        "        cono pi, 4020\n",
        "        cono pi, 2200\n",
        "        jfcl 17, $+1\n",
    ],
    rests: &[
        "idle:   jrst idle\n",
        "        cono pi, 2377\nidle:   jrst idle\n",
        "        cono pi, 2377\nidle:   aos 24\n        jrst idle\n",
        "        cono pi, 2377\nidle:   halt idle\n",
    ],
};

pub const DIALECTS: &[Dialect] = &[SEGMENTED, INTEL, ZILOG, ZILOG_LONG, MOS, TWELVE, THIRTY_SIX];

impl Dialect {
    /// The family of a processor.
    pub fn of(cpu: &str) -> &'static Dialect {
        DIALECTS.iter().find(|one| one.cpus.contains(&cpu)).expect("each processor has a family")
    }

    /// Its interrupt vectors, in its mnemonics.
    pub fn vectors(&self) -> String {
        if self.cpus.contains(&"8080") { VECTORS_80.to_string() } else { VECTORS_80.replace("jmp", "jp") }
    }
}
