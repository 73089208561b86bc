; Skerrow Rock, the fog signal: sounds the pattern that the visibility calls for.
;
; The switches give the visibility in cables. Each kind of weather has a pattern: blasts and silences in tenths of a
; second. The horn is played on the lamps, the longer a blast the more of them, and the console says what is sounded.

        cpu 8085

        if !defined(tenth)
tenth   equ 100                 ; milliseconds; smaller for a quick look
        endif

; ---- the board: ports and firmware

        space board
horn    equ 10h
switches equ 11h
print   equ 48h                 ; the text at HL up to a zero byte
pause   equ 4Ch                 ; as many milliseconds as C says
        endspace

; ---- what the tables are made with

rows    let 0

        macro weather cables, tune, words       ; up to so many cables: what is sounded and said
        db cables
        dw tune, words
rows    let rows + 1
        endm

        macro blast tenths, silence = 10
        demand tenths > 0 && tenths < 100, "a blast lasts from a tenth to ten seconds"
        db tenths, silence
        endm

        macro tune_end
        db 0
        endm

        macro say words
        lxi h, words
        call board.print
        endm

        macro keep pair, other                  ; both pairs onto the stack
        push pair
        push other
        endm

        macro restore pair, other
        pop other
        pop pair
        endm

; ---- the program

        region program, 4000h, 40FFh
        region tables, 4100h, 41FFh, 0FFh

        region program
        entry start

start:  in board.switches
        mov c, a                                ; the visibility
        call find
        when z                                  ; nothing to sound
        say clear
        otherwise
        call sound
        endwhen
        hlt

; Looks the visibility in C up: the pattern to HL, the words to DE; Z is set where there is none.
find:   lxi h, table
        cycle
        mov a, m
        cmp c
        leave nc                                ; not more than the row goes up to
        lxi d, row_length
        dad d
        endcycle
        inx h
        mov e, m
        inx h
        mov d, m
        inx h
        mov a, m
        inx h
        mov h, m
        mov l, a
        xchg
        mov a, h
        ora l
        ret

; Says DE and plays the pattern HL, as many groups as `groups` says.
sound:  push h
        xchg
        call board.print
        pop h
        lda groups
        mov b, a
        cycle
        keep h, b
        call horn.group
        restore h, b
        dcr b
        endcycle nz
        ret

        space horn

; Plays one group of blasts; HL is the pattern.
group:  cycle
        mov a, m
        ora a
        leave z                                 ; the end of the pattern
        mov d, a
        lda blasts
        inr a
        sta blasts
        call loudness
        call hold
        inx h
        mov d, m
        xra a                                   ; silent
        call hold
        inx h
        endcycle
        ret

; A lamp for each tenth in D, at most eight.
loudness:
        mov a, d
        cpi most
        when nc
        mvi a, most
        endwhen
        push h
        lxi h, bars
        mov c, a
        mvi b, 0
        dad b
        mov a, m
        pop h
        ret

; A to the lamps, for D tenths of a second.
hold:   out board.horn
        cycle
        mvi c, tenth
        call board.pause
        dcr d
        endcycle nz
        ret

most    equ 8
blasts: db 0                                    ; how many there were

        endspace

; ---- tables

        region tables

table:  weather 2, thick, says_thick            ; fog: two long blasts
        weather 10, mist, says_mist             ; mist: a short and a long one
        weather 20, haze, says_haze             ; haze: one short blast
        weather 0FFh, 0, 0                      ; clear: silence
row_length equ (thick - table) / rows

thick:  blast 20
        blast 20, 30
        tune_end
mist:   blast 5, 5
        blast 15, 20
        tune_end
haze:   blast 5, 40
        tune_end

bars:   copies horn.most + 1, lit
        db (1 << lit) - 1
        endcopies

groups: db 2

says_thick: text zero, "fog: two long\r\n"
says_mist: text zero, "mist: short, long\r\n"
says_haze: text zero, "haze: one short\r\n"
clear:  text zero, "clear: silent\r\n"

        demand rows == 4, "the kinds of weather"
        image hex, "fog.hex"
