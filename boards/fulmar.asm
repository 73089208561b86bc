; fulmar: the resident firmware of the home computer, 8K of ROM at $E000: a table of routines for programs, a
; monitor, and a cassette tape.
;
; Programs call the routines through the jumps at the beginning, whose places stay. All keep X and Y; what they give back
; stands in A. The monitor reads lines from the keyboard; its words may be cut short. Numbers are decimal, $ makes them hex,
; % binary, ' a character. STOP ends a program that lets the picture's interrupt through; BREAK ends any.
;
; It keeps cells $00E0 to $00FF, the pages 2 and 3, and the screen at $7000 to $77BF.

        cpu 6502

; The video generator.
border_now equ $DF00
cells_page equ $DF01
colours_page equ $DF02
status  equ $DF03
cursor  equ $DF05

; The port chip of the keyboard: port A selects the line, port B has the rows, low where a key is down.
key_rows equ $DF10
key_line equ $DF1F
key_line_out equ $DF13

cells   equ $7000
tints   equ $7400
columns equ 40
rows    equ 24
below   equ high (tints - cells)        ; colours lie so many pages after their characters

; Cells of page zero.
at      equ $E0                 ; two: where the monitor puts, lists and goes
value   equ $E2                 ; three: the number that was read or is printed
product equ $E5                 ; three
text_at equ $E8                 ; two
cell    equ $EA                 ; two: the screen line of the cursor
tint    equ $EC                 ; two: its colours
base    equ $EE
bits    equ $EF
digit   equ $F0
seen    equ $F1

; What programs may change.
irq_vector equ $0200            ; where an interrupt request goes on once A, X and Y are on the stack
nmi_vector equ $0202            ; where BREAK goes on in the same way
ink     equ $0204               ; the colour of what is printed: ink, and 16 times the ground
column  equ $0205               ; where the next character goes
row     equ $0206
pictures equ $0207              ; two: counts the pictures

typed   equ $0210               ; the line that was typed, a zero byte after it
longest equ 77
queue   equ $0300               ; keys that nobody has asked for yet
queue_mask equ 63

variables equ $0260
a_      equ variables + 0       ; the registers of the program that ended or was stopped
x_      equ variables + 1
y_      equ variables + 2
s_      equ variables + 3
p_      equ variables + 4
pc      equ variables + 5       ; two
stop_wanted equ variables + 8
queue_in equ variables + 9
queue_out equ variables + 10
print_a equ variables + 11
print_x equ variables + 12
print_y equ variables + 13
keep_x  equ variables + 14
keep_y  equ variables + 15
lead    equ variables + 16
start   equ variables + 17      ; where a word begins in the line
opcode  equ variables + 18
mode    equ variables + 19
size    equ variables + 20
lines   equ variables + 21
repeat_code equ variables + 22
repeat_line equ variables + 23
repeat_row equ variables + 24
repeat_time equ variables + 25
fresh   equ variables + 26
held    equ variables + 32      ; for each line the rows with a key down
before  equ variables + 40      ; and at the picture before

named   equ variables + 29      ; two: the address that was given last

; The loader of data lines.
load_state equ variables + 48
load_at equ variables + 49      ; two
load_left equ variables + 51    ; two
load_sum equ variables + 53     ; three

; Characters that do something.
code_back equ 8
code_clear equ 12
code_return equ 13
code_stop equ 27
sign_lamp equ 1

        region rom, $E000, $FFFF, $FF

        jmp print               ; E000: prints the character in A
        jmp key                 ; E003: waits for a key, its character in A; allow unreachable
        jmp look                ; E006: the character of a key in A, 0 and Z where none waits
        jmp clear               ; E009: clears the screen
        jmp colour              ; E00C: prints in the colour A from here on: ink, and 16 times the ground
        jmp border              ; E00F: gives the border the colour A
        jmp number              ; E012: prints A as a decimal number
        jmp word                ; E015: prints A and 256 times X as a decimal number
        jmp hex                 ; E018: prints A as two hex digits
        jmp write               ; E01B: prints the text at A and 256 times X up to its zero byte
        jmp place               ; E01E: the next character goes to column X of row Y
        jmp line                ; E021: reads a line into $0210, a zero byte after it; its length in A
        jmp monitor             ; E024: to the monitor
        jmp save_call           ; E027: saves what stands at $02DD to the tape, its name at A and 256 times X; allow unreachable
        jmp load_call           ; E02A: loads the program of the name at A and 256 times X; allow unreachable

reset:  cld
        ldx #$FF
        txs
        inx
        txa
        cycle
        sta $0200, x
        inx
        endcycle ne
        ldx #3
        cycle
        lda defaults, x
        sta irq_vector, x
        dex
        endcycle pl
        lda #high cells
        sta cells_page
        lda #high tints
        sta colours_page
        lda #$1F                ; lines of keys, tape and motor go out
        sta key_line_out
        lda #$14                ; chalk on slate
        sta ink
        lda #11
        jsr border
        jsr clear
        lda #low banner
        ldx #high banner
        jsr write
        lda #$81                ; the picture's interrupt
        sta status
        cli

; The monitor waits here. A program that returns comes back to `returned`.
monitor:
prompt: cld
        ldx #$FF
        txs
        lda #high (returned - 1)
        pha
        lda #low (returned - 1)
        pha
        lda #0
        sta stop_wanted
        cli
        lda #sign_lamp
        jsr print
        lda #' '
        jsr print
ready:  jsr line                ; a run ends here; allow unused-label
        ldx #0
        jsr skip
        beq prompt
        jsr is_decimal
        when cs
        jmp numbered
        endwhen
        stx start
        ldy #0
try:    ldx start
        lda words, y
        when mi
        lda #low unknown
        ldx #high unknown
        jmp complain
        endwhen
        cycle
        lda typed, x
        beq matched
        cmp #' '
        beq matched
        jsr lower
        cmp words, y
        leave ne
        iny
        inx
        endcycle
        jsr behind_zero
        iny
        iny
        jmp try
matched: jsr behind_zero
        lda words + 1, y
        pha
        lda words, y
        pha
        rts                     ; to the word's routine

behind_zero:
        cycle
        lda words, y
        iny
        cmp #0
        endcycle ne
        rts

; Says what is wrong, and forgets what the line was to do.
complain: jsr write
        jsr new_line
        jmp prompt

words:  text zero, "put"
        dw put - 1
        text zero, "show"
        dw show - 1
        text zero, "list"
        dw list - 1
        text zero, "go"
        dw go - 1
        text zero, "value"
        dw convert - 1
        text zero, "registers"
        dw registers - 1
        text zero, "border"
        dw border_word - 1
        text zero, "colour"
        dw colour_word - 1
        text zero, "clear"
        dw clear_word - 1
        text zero, "save"
        dw save_word - 1
        text zero, "load"
        dw load_word - 1
        text zero, "tape"
        dw tape_word - 1
        text zero, "help"
        dw help - 1
        db $FF
        demand $ - words <= 128, "the words' table is reached by Y"

banner: text zero, "fulmar  32K  Skerrow Rock", 13, "help shows the words", 13, 13
unknown: text zero, "no such word; help shows them"
number_wanted: text zero, "a number is wanted there"
too_large: text zero, "that number is too large"
byte_wanted: text zero, "a cell takes 0 to 255"
no_memory: text zero, "no memory takes it at $"
stopped_text: text zero, "stopped at $"
break_text: text zero, "break at $"
left_out: text zero, "no data; the loader begins anew"
sum_good: text zero, "all there, the sum is "
sum_bad: text zero, "a number is wrong: the sum is "
help_text: db "put 4096 169 5  bytes from there on", 13
        db "show $1000      what is there", 13
        db "list $1000      as instructions", 13
        db "go $1000        calls it; RTS is back", 13
        db "value $1F       hex, decimal, binary", 13
        db "registers       what a program left", 13
        db "border 5  colour 4 1  clear", 13
        db "10 data 4096,2  loads data lines", 13
        db "save lamp $1000 $10FF $1000  to tape", 13
        db "load lamp       from it; load  any", 13
        db "tape            what is on it", 13
        text zero, "$ is hex, % binary; STOP stops", 13

defaults: dw picture, stopped_by_key

; ---- what the words do

; The rest of the line is an address for `at`, or the end.
address: jsr skip
        when ne
        jsr parse_word
        sta at + 1
        sta named + 1
        lda value
        sta at
        sta named
        endwhen
        rts

put:    jsr address
        cycle
        jsr skip
        leave eq
        jsr parse_byte
        jsr store
        endcycle
        jmp prompt

; The byte in A goes to `at`, which moves on.
store:  ldy #0
        sta (at), y
        cmp (at), y
        when ne
        lda #low no_memory
        ldx #high no_memory
        jsr write
        jsr hex_at
        jsr new_line
        jmp prompt
        endwhen
        inc at
        when eq
        inc at + 1
        endwhen
        rts

hex_at: lda at + 1
        jsr hex
        lda at
        jmp hex

show:   jsr address
        lda #8
        sta lines
        cycle
        jsr hex_at
        jsr blank
        ldy #0
        cycle
        lda (at), y
        jsr hex
        jsr blank
        iny
        cpy #8
        endcycle ne
        ldy #0
        cycle
        lda (at), y
        jsr glyph
        iny
        cpy #8
        endcycle ne
        jsr new_line
        lda at
        clc
        adc #8
        sta at
        when cs
        inc at + 1
        endwhen
        dec lines
        endcycle ne
        jmp prompt

list:   jsr address
        lda #12
        sta lines
        cycle
        jsr instruction
        dec lines
        endcycle ne
        jmp prompt

go:     jsr address
        lda p_
        and #%11110011          ; binary, and with interrupts
        pha
        lda named               ; listing has moved `at` on
        sta at
        lda named + 1
        sta at + 1
        lda a_
        ldx x_
        ldy y_
        plp
        jmp (at)

convert: jsr skip
        jsr parse_word
        lda #'$'
        jsr print
        lda value + 1
        when ne
        jsr hex
        endwhen
        lda value
        jsr hex
        jsr blanks
        lda value + 1
        pha
        lda value
        pha
        ldx value + 1
        jsr word
        jsr blanks
        lda #'%'
        jsr print
        pla
        sta value
        pla
        sta value + 1
        when ne
        jsr binary
        endwhen
        lda value
        jsr binary
        lda value + 1
        when eq
        jsr blanks
        lda value
        jsr glyph
        endwhen
        jsr new_line
        jmp prompt

blanks: jsr blank
blank:  lda #' '
        jmp print

; A as eight binary digits.
binary: sec
        rol a
        cycle
        pha
        lda #'0'
        when cs
        lda #'1'
        endwhen
        jsr print
        pla
        asl a
        endcycle ne
        rts

registers: jsr show_registers
        jmp prompt

border_word: jsr skip
        jsr parse_byte
        jsr border
        jmp prompt

; The ink, and the ground after it.
colour_word: jsr skip
        jsr parse_byte
        pha
        jsr skip
        when ne
        jsr parse_byte
        asl a
        asl a
        asl a
        asl a
        sta digit
        pla
        and #$0F
        ora digit
        jsr colour
        jmp prompt
        endwhen
        pla
        and #$0F
        sta digit
        lda ink
        and #$F0
        ora digit
        jsr colour
        jmp prompt

clear_word: jsr clear
        jmp prompt

help:   lda #low help_text
        ldx #high help_text
        jsr write
        jmp prompt

; A line with a number in front: what stands after `data` is loaded; any other one begins anew.
numbered: jsr parse
        jsr skip
        ldy #0
        cycle
        lda typed, x
        jsr lower
        cmp data_word, y
        leave ne
        inx
        iny
        cpy #4
        endcycle ne
        cpy #4
        when ne
        jsr load_anew
        lda #low left_out
        ldx #high left_out
        jmp complain
        endwhen
        cycle
        jsr skip
        leave eq
        jsr parse
        jsr load
        endcycle
        jmp prompt

data_word: db "data"

; Takes a value of a data line: an address, how many bytes, the bytes, and so on; a count of zero, then the sum of all.
load:   lda load_state
        beq load_address
        cmp #2
        bcc load_count
        beq load_byte
        txa
        pha
        ldx #2
        cycle
        lda value, x
        cmp load_sum, x
        leave ne
        dex
        endcycle pl
        cpx #$FF
        when eq
        lda #low sum_good
        ldx #high sum_good
        otherwise
        lda #low sum_bad
        ldx #high sum_bad
        endwhen
        jsr write
        lda load_sum
        ldx load_sum + 1
        jsr word
        jsr new_line
        jsr load_anew
        pla
        tax
        rts

load_anew: lda #0
        ldx #8
        cycle
        sta load_state, x
        dex
        endcycle pl
        rts

load_address: inc load_state
        jsr check_word
        sta load_at + 1
        lda value
        sta load_at
        rts

load_count: inc load_state
        jsr check_word
        sta load_left + 1
        lda value
        sta load_left
        ora load_left + 1
        when eq
        inc load_state
        endwhen
        rts

load_byte: lda load_at
        sta at
        lda load_at + 1
        sta at + 1
        jsr check_byte
        jsr store
        lda at
        sta load_at
        lda at + 1
        sta load_at + 1
        clc
        lda load_sum
        adc value
        sta load_sum
        when cs
        inc load_sum + 1
        when eq
        inc load_sum + 2
        endwhen
        endwhen
        lda load_left
        when eq
        dec load_left + 1
        endwhen
        dec load_left
        lda load_left
        ora load_left + 1
        when eq
        sta load_state
        endwhen
        rts

; ---- the line that was typed; X is a place in it

; Goes to the next character that is no blank or comma, which is in A; Z at the end.
skip:
        cycle
        lda typed, x
        leave eq
        cmp #' '
        beq skip_on
        cmp #','
        leave ne
skip_on: inx
        endcycle
        cmp #0
        rts

; C where A is a decimal digit.
is_decimal: cmp #'9' + 1
        bcs no_digit
        cmp #'0'
        rts
no_digit: clc
        rts

lower:  cmp #'A'
        when cs
        cmp #'Z' + 1
        when cc
        ora #$20
        endwhen
        endwhen
        rts

; A number, which goes to `value`.
parse:  lda #0
        sta value
        sta value + 1
        sta value + 2
        sta seen
        lda #10
        sta base
        lda typed, x
        cmp #$27
        beq parse_character
        cmp #'$'
        when eq
        lda #16
        sta base
        inx
        endwhen
        cmp #'%'
        when eq
        lda #2
        sta base
        inx
        endwhen
        cycle
        lda typed, x
        jsr lower
        cmp #'a'
        when cs
        sbc #'a' - 10 - '0'
        otherwise
        jsr is_decimal
        leave cc
        endwhen
        sec
        sbc #'0'
        cmp base
        leave cs
        sta digit
        jsr times_base
        lda value
        clc
        adc digit
        sta value
        when cs
        inc value + 1
        when eq
        inc value + 2
        endwhen
        endwhen
        inc seen
        inx
        endcycle
        lda seen
        when eq
        lda #low number_wanted
        ldx #high number_wanted
        jmp complain
        endwhen
        rts

parse_character: inx
        lda typed, x
        sta value
        when ne
        inx
        lda typed, x
        cmp #$27                ; it may be closed
        when eq
        inx
        endwhen
        endwhen
        rts

parse_word: jsr parse
; The number as a word, its high half in A.
check_word: lda value + 2
        bne is_too_large
        lda value + 1
        rts

parse_byte: jsr parse
check_byte: lda value + 1
        ora value + 2
        when ne
        lda #low byte_wanted
        ldx #high byte_wanted
        jmp complain
        endwhen
        lda value
        rts

; The number times its base, which has five bits.
times_base: lda #0
        sta product
        sta product + 1
        sta product + 2
        lda base
        asl a
        asl a
        asl a
        sta bits
        ldy #5
        cycle
        asl product
        rol product + 1
        rol product + 2
        bcs is_too_large
        asl bits
        when cs
        clc
        lda product
        adc value
        sta product
        lda product + 1
        adc value + 1
        sta product + 1
        lda product + 2
        adc value + 2
        sta product + 2
        bcs is_too_large
        endwhen
        dey
        endcycle ne
        lda product
        sta value
        lda product + 1
        sta value + 1
        lda product + 2
        sta value + 2
        rts

is_too_large: lda #low too_large
        ldx #high too_large
        jmp complain

; ---- programs that come back

returned: php
        sta a_
        pla
        sta p_
        stx x_
        sty y_
        tsx
        stx s_
        cld
        lda column
        when ne
        jsr new_line
        endwhen
        jsr show_registers
        jmp prompt

; STOP or BREAK while a program ran: its registers are on the stack.
stopped_by_key: jsr take_registers
        lda #low stopped_text
        ldx #high stopped_text
        jmp tell_stop

; BRK: the address on the stack is two further.
broke:  jsr take_registers
        lda pc
        sec
        sbc #2
        sta pc
        when cc
        dec pc + 1
        endwhen
        lda #low break_text
        ldx #high break_text
tell_stop: pha
        lda #0
        sta stop_wanted
        lda column
        when ne
        jsr new_line
        endwhen
        pla
        jsr write
        lda pc + 1
        jsr hex
        lda pc
        jsr hex
        jsr new_line
        jsr show_registers
        jmp prompt

take_registers: cld
        pla
        sta value               ; the way back from here
        pla
        sta value + 1
        pla
        sta y_
        pla
        sta x_
        pla
        sta a_
        pla
        sta p_
        pla
        sta pc
        pla
        sta pc + 1
        tsx
        stx s_
        inc value
        when eq
        inc value + 1
        endwhen
        jmp (value)

show_registers:
        ldx #0
        cycle
        lda register_names, x
        jsr print
        jsr blank
        lda #'$'
        jsr print
        lda a_, x
        jsr hex
        inx
        cpx #4
        leave eq
        jsr blank
        lda a_ - 1, x
        jsr number
        jsr blank
        endcycle
        jsr new_line
        lda p_
        ldx #0
        cycle
        asl a
        pha
        lda flag_names, x
        when cc
        lda #0                  ; a dot for a flag that is not set
        endwhen
        jsr print
        pla
        inx
        cpx #8
        endcycle ne
        jmp new_line

register_names: db "axys"
flag_names: db "nv", 0, 0, "dizc"

; ---- the screen

; Prints the character in A.
print:  sta print_a
        stx print_x
        sty print_y
        jsr point
        lda print_a
        cmp #code_return
        beq print_return
        cmp #code_back
        beq print_back
        cmp #code_clear
        beq print_clear
        cmp #10
        beq printed
        ldy column
        sta (cell), y
        lda ink
        sta (tint), y
        inc column
        lda column
        cmp #columns
        bcc printed
print_return: lda #0
        sta column
        inc row
        lda row
        cmp #rows
        when cs
        jsr scroll
        endwhen
printed: lda stop_wanted
        when ne
        jmp abandoned
        endwhen
        ldx print_x
        ldy print_y
        lda print_a
        rts

print_clear: jsr clear
        jmp printed

print_back: dec column
        when mi
        lda #0
        sta column
        lda row
        beq printed
        dec row
        lda #columns - 1
        sta column
        jsr point
        endwhen
        ldy column
        lda #' '
        sta (cell), y
        lda ink
        sta (tint), y
        jmp printed

; STOP was pressed in the firmware itself.
abandoned: lda #0
        sta stop_wanted
        jsr new_line
        jmp prompt

; The character in A as it looks, whatever it is.
glyph:  cmp #code_back
        beq glyph_dot
        cmp #code_clear
        beq glyph_dot
        cmp #code_return
        beq glyph_dot
        cmp #10
        beq glyph_dot
        jmp print
glyph_dot: lda #0
        jmp print

; Where the line of the cursor is.
point:  ldy row
        lda line_low, y
        sta cell
        sta tint
        lda line_high, y
        sta cell + 1
        clc
        adc #below
        sta tint + 1
        rts

line_low:
        copies rows, n
        db low (cells + n * columns)
        endcopies
line_high:
        copies rows, n
        db high (cells + n * columns)
        endcopies

new_line: lda #code_return
        jmp print

; Every line moves up by one, column by column; the last one is blank.
scroll: ldx #columns - 1
        cycle
        copies rows - 1, n
        lda cells + (n + 1) * columns, x
        sta cells + n * columns, x
        lda tints + (n + 1) * columns, x
        sta tints + n * columns, x
        endcopies
        lda #' '
        sta cells + (rows - 1) * columns, x
        lda ink
        sta tints + (rows - 1) * columns, x
        dex
        endcycle pl
        lda #rows - 1
        sta row
        rts

clear:  txa
        pha
        ldx #240
        cycle
        copies 4, n
        lda #' '
        sta cells + n * 240 - 1, x
        lda ink
        sta tints + n * 240 - 1, x
        endcopies
        dex
        endcycle ne
        stx column
        stx row
        pla
        tax
        rts

colour: sta ink
        rts

border: sta border_now
        rts

; The next character goes to column X of row Y.
place:  stx column              ; allow unreachable
        sty row
        rts

; The text at A and X up to its zero byte.
write:  sta text_at
        stx keep_x
        stx text_at + 1
        sty keep_y
        ldy #0
        cycle
        lda (text_at), y
        leave eq
        jsr print
        iny
        when eq
        inc text_at + 1
        endwhen
        endcycle
        ldx keep_x
        ldy keep_y
        rts

; A as two hex digits.
hex:    pha
        lsr a
        lsr a
        lsr a
        lsr a
        jsr hex_digit
        pla
        pha
        and #$0F
        jsr hex_digit
        pla
        rts
hex_digit: cmp #10
        when cs
        adc #6                  ; and the carry: from after 9 to A
        endwhen
        adc #'0'
        jmp print

; A as a decimal number.
number: pha
        txa
        pha
        tsx
        lda $102, x
        ldx #0
        jsr word
        pla
        tax
        pla
        rts

; A and 256 times X as a decimal number.
word:   sta value
        stx value + 1
        txa
        pha
        tya
        pha
        lda #0
        sta lead                ; a digit was printed
        ldx #3
        cycle
        ldy #0                  ; how often the power goes into it
        cycle
        lda value
        sec
        sbc powers_low, x
        pha
        lda value + 1
        sbc powers_high, x
        bcc placed
        sta value + 1
        pla
        sta value
        iny
        endcycle
placed: pla
        tya
        ora lead
        when ne
        inc lead
        tya
        ora #'0'
        jsr print
        endwhen
        dex
        endcycle pl
        lda value
        ora #'0'
        jsr print
        pla
        tay
        pla
        tax
        rts

powers_low: db low 10, low 100, low 1000, low 10000
powers_high: db high 10, high 100, high 1000, high 10000

; ---- the keyboard

; Waits for a key. The cursor shows where its character would go.
key:    stx print_x
        sty print_y
        jsr point
        lda cell
        clc
        adc column
        sta cursor
        lda cell + 1
        adc #0
        sec
        sbc #high cells
        ora #$80
        sta cursor + 1
        cycle
        lda stop_wanted
        when ne
        lda #0
        sta cursor + 1
        jmp abandoned
        endwhen
        jsr look
        endcycle eq
        pha
        lda #0
        sta cursor + 1
        ldx print_x
        ldy print_y
        pla
        rts

; The character of a key that waits, or 0.
look:   stx keep_x
        lda #0
        ldx queue_out
        cpx queue_in
        when ne
        lda queue, x
        pha
        inx
        txa
        and #queue_mask
        sta queue_out
        pla
        endwhen
        ldx keep_x
        cmp #0
        rts

; Reads a line.
line:   txa
        pha
        ldx #0
        cycle
        jsr key
        cmp #code_return
        leave eq
        cmp #code_back
        beq line_back
        cmp #' '
        bcc line_on
        cpx #longest
        bcs line_on
        sta typed, x
        inx
        jsr print
        jmp line_on
line_back: cpx #0
        when ne
        dex
        jsr print
        endwhen
line_on: endcycle
        lda #0
        sta typed, x
        stx digit
        jsr new_line
        pla
        tax
        lda digit
        rts

; ---- interrupts

requested: pha
        txa
        pha
        tya
        pha
        tsx
        lda $104, x             ; the flags that were pushed
        and #%00010000
        when ne
        jmp broke
        endwhen
        jmp (irq_vector)

; BREAK.
pressed: pha
        txa
        pha
        tya
        pha
        jmp (nmi_vector)

; A picture is complete: the keys are looked at.
picture: cld
        lda status
        when pl
        jmp back
        endwhen
        lda #$81
        sta status
        inc pictures
        when eq
        inc pictures + 1
        endwhen
        jsr scan
        lda stop_wanted
        when ne
        tsx
        lda $106, x             ; the page where it happened
        cmp #high print_page
        when cc
        jmp stopped_by_key
        endwhen
        endwhen
back:   pla
        tay
        pla
        tax
        pla
        rti

print_page equ $E000

; All lines first, since SHIFT changes what the others mean.
scan:   ldx #7
        cycle
        stx key_line
        lda held, x
        sta before, x
        lda key_rows
        eor #$FF
        sta held, x
        dex
        endcycle pl
        ldx #7
        cycle
        lda before, x
        eor #$FF
        and held, x
        sta fresh
        when ne
        ldy #0
        cycle
        lsr fresh
        when cs
        jsr strike
        endwhen
        iny
        cpy #8
        endcycle ne
        endwhen
        dex
        endcycle pl
; A key that stays down comes again.
        lda repeat_code
        when ne
        ldx repeat_line
        lda held, x
        and repeat_row
        when eq
        sta repeat_code
        rts
        endwhen
        dec repeat_time
        when eq
        lda #4
        sta repeat_time
        lda repeat_code
        jmp enqueue
        endwhen
        endwhen
        rts

; The key in row Y of line X went down.
strike: tya
        asl a
        asl a
        asl a
        sta digit_
        txa
        ora digit_
        sty digit_
        tay
        lda held                ; SHIFT and CONTROL stand in the last row
        asl a
        lda plain, y
        when cs
        lda shifted, y
        endwhen
        ldy held + 1
        when mi
        and #$1F
        endwhen
        ldy digit_
        cmp #code_stop
        when eq
        sta stop_wanted
        rts
        endwhen
        cmp #0
        when ne
        sta repeat_code
        stx repeat_line
        pha
        lda row_bit, y
        sta repeat_row
        lda #25
        sta repeat_time
        pla
        jsr enqueue
        endwhen
        rts

digit_  equ variables + 27
row_bit: db 1, 2, 4, 8, 16, 32, 64, 128

; The character in A waits for somebody to ask; after 63 others it is lost.
enqueue: stx digit_ + 1
        ldx queue_in
        sta queue, x
        inx
        txa
        and #queue_mask
        cmp queue_out
        when ne
        sta queue_in
        endwhen
        ldx digit_ + 1
        rts

; What the keys make, row by row.
plain:  db "12345678"
        db "90-=[];", $27
        db "qwertyui"
        db "opasdfgh"
        db "jklzxcvb"
        db "nm,./", $5C, $60, 13
        db " ", 8, 27, 12, 28, 29, 30, 31
        db 0, 0, 0, 0, 0, 0, 0, 0
shifted: db "!@#$%^&*"
        db "()_+{}:", $22
        db "QWERTYUI"
        db "OPASDFGH"
        db "JKLZXCVB"
        db "NM<>?|~", 13
        db " ", 8, 27, 12, 28, 29, 30, 31
        db 0, 0, 0, 0, 0, 0, 0, 0

; ---- instructions as text; what the opcodes are stands at the end

; Shows the instruction at `at` and goes after it.
instruction: jsr hex_at
        jsr blank
        ldy #0
        lda (at), y
        sta opcode
        tax
        ldy modes, x
        sty mode
        lda sizes, y
        sta size
        ldy #0
        cycle
        cpy size
        when cc
        lda (at), y
        jsr hex
        otherwise
        jsr blanks
        endwhen
        jsr blank
        iny
        cpy #3
        endcycle ne
        ldx opcode
        lda names, x
        sta digit
        asl a
        adc digit               ; three letters each, and no carry
        tax
        ldy #3
        cycle
        lda letters, x
        jsr print
        inx
        dey
        endcycle ne
        ldx mode
        when ne                 ; "db " has its blank
        jsr blank
        endwhen
        lda form_at, x
        tax
        cycle
        lda forms, x
        leave eq
        jsr operand
        inx
        endcycle
        jsr new_line
        lda at
        clc
        adc size
        sta at
        when cs
        inc at + 1
        endwhen
        rts

; A sign of a form: @ is the cell after the opcode, & the word, ! where a branch leads, ? the opcode itself.
operand: cmp #'@'
        beq operand_cell
        cmp #'&'
        beq operand_word
        cmp #'!'
        beq operand_branch
        cmp #'?'
        beq operand_opcode
        jmp print
operand_opcode: lda opcode
        jmp hex
operand_word: ldy #2
        lda (at), y
        jsr hex
operand_cell: ldy #1
        lda (at), y
        jmp hex
operand_branch: ldy #1
        lda (at), y
        sta value
        ldy #0
        asl a
        when cs
        dey
        endwhen
        sty value + 1
        lda at
        sec
        adc #1                  ; after the branch
        sta digit
        lda at + 1
        adc #0
        sta bits
        lda digit
        clc
        adc value
        sta value
        lda bits
        adc value + 1
        jsr hex
        lda value
        jmp hex

; For each opcode its form and its name; the forms' sizes and signs.
modes:
        db 1, 11, 0, 0, 0, 4, 4, 0, 1, 3, 2, 0, 0, 7, 7, 0
        db 13, 12, 0, 0, 0, 5, 5, 0, 1, 9, 0, 0, 0, 8, 8, 0
        db 7, 11, 0, 0, 4, 4, 4, 0, 1, 3, 2, 0, 7, 7, 7, 0
        db 13, 12, 0, 0, 0, 5, 5, 0, 1, 9, 0, 0, 0, 8, 8, 0
        db 1, 11, 0, 0, 0, 4, 4, 0, 1, 3, 2, 0, 7, 7, 7, 0
        db 13, 12, 0, 0, 0, 5, 5, 0, 1, 9, 0, 0, 0, 8, 8, 0
        db 1, 11, 0, 0, 0, 4, 4, 0, 1, 3, 2, 0, 10, 7, 7, 0
        db 13, 12, 0, 0, 0, 5, 5, 0, 1, 9, 0, 0, 0, 8, 8, 0
        db 0, 11, 0, 0, 4, 4, 4, 0, 1, 0, 1, 0, 7, 7, 7, 0
        db 13, 12, 0, 0, 5, 5, 6, 0, 1, 9, 1, 0, 0, 8, 0, 0
        db 3, 11, 3, 0, 4, 4, 4, 0, 1, 3, 1, 0, 7, 7, 7, 0
        db 13, 12, 0, 0, 5, 5, 6, 0, 1, 9, 1, 0, 8, 8, 9, 0
        db 3, 11, 0, 0, 4, 4, 4, 0, 1, 3, 1, 0, 7, 7, 7, 0
        db 13, 12, 0, 0, 0, 5, 5, 0, 1, 9, 0, 0, 0, 8, 8, 0
        db 3, 11, 0, 0, 4, 4, 4, 0, 1, 3, 1, 0, 7, 7, 7, 0
        db 13, 12, 0, 0, 0, 5, 5, 0, 1, 9, 0, 0, 0, 8, 8, 0
names:
        db 10, 34, 56, 56, 56, 34, 2, 56, 36, 34, 2, 56, 56, 34, 2, 56
        db 9, 34, 56, 56, 56, 34, 2, 56, 13, 34, 56, 56, 56, 34, 2, 56
        db 28, 1, 56, 56, 6, 1, 39, 56, 38, 1, 39, 56, 6, 1, 39, 56
        db 7, 1, 56, 56, 56, 1, 39, 56, 44, 1, 56, 56, 56, 1, 39, 56
        db 41, 23, 56, 56, 56, 23, 32, 56, 35, 23, 32, 56, 27, 23, 32, 56
        db 11, 23, 56, 56, 56, 23, 32, 56, 15, 23, 56, 56, 56, 23, 32, 56
        db 42, 0, 56, 56, 56, 0, 40, 56, 37, 0, 40, 56, 27, 0, 40, 56
        db 12, 0, 56, 56, 56, 0, 40, 56, 46, 0, 56, 56, 56, 0, 40, 56
        db 56, 47, 56, 56, 49, 47, 48, 56, 22, 56, 53, 56, 49, 47, 48, 56
        db 3, 47, 56, 56, 49, 47, 48, 56, 55, 47, 54, 56, 56, 47, 56, 56
        db 31, 29, 30, 56, 31, 29, 30, 56, 51, 29, 50, 56, 31, 29, 30, 56
        db 4, 29, 56, 56, 31, 29, 30, 56, 16, 29, 52, 56, 31, 29, 30, 56
        db 19, 17, 56, 56, 19, 17, 20, 56, 26, 17, 21, 56, 19, 17, 20, 56
        db 8, 17, 56, 56, 56, 17, 20, 56, 14, 17, 56, 56, 56, 17, 20, 56
        db 18, 43, 56, 56, 18, 43, 24, 56, 25, 43, 33, 56, 18, 43, 24, 56
        db 5, 43, 56, 56, 56, 43, 24, 56, 45, 43, 56, 56, 56, 43, 24, 56
letters:
        db "adcandaslbccbcsbeqbitbmi"
        db "bnebplbrkbvcbvsclccldcli"
        db "clvcmpcpxcpydecdexdeyeor"
        db "incinxinyjmpjsrldaldxldy"
        db "lsrnoporaphaphpplaplprol"
        db "rorrtirtssbcsecsedseista"
        db "stxstytaxtaytsxtxatxstya"
        db "db "
sizes:  db 1, 1, 1, 2, 2, 2, 2, 3, 3, 3, 3, 2, 2, 2
form_at: db 0, 3, 4, 6, 10, 13, 19, 25, 28, 34, 40, 45, 53, 61
forms:
        text zero, "$?"
        text zero, ""
        text zero, "a"
        text zero, "#$@"
        text zero, "$@"
        text zero, "$@, x"
        text zero, "$@, y"
        text zero, "$&"
        text zero, "$&, x"
        text zero, "$&, y"
        text zero, "($&)"
        text zero, "($@, x)"
        text zero, "($@), y"
        text zero, "$!"

        include "fulmar-tape.asm"

        org $FFFA
        dw pressed, reset, requested
