//! Mnemonics of other processors, so that one met in a source text can be answered with what to write here.

/// A mnemonic that belongs to other processors.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Foreign {
    /// The mnemonic.
    pub mnemonic: &'static str,
    /// Whose it is.
    pub owner: &'static str,
    /// What the 8080 and 8085 have instead.
    pub instead: &'static str,
}

/// Mnemonics the 8080 and 8085 lack, sorted, with what to write instead.
#[rustfmt::skip]
const FOR_8080: &[Foreign] = &[
    of("AND",  "Z80 and 8086",  "ANA r for a register, ANI data8 for a number"),
    of("ASL",  "6502",          "ADD A, which doubles A"),
    of("BCC",  "6502",          "JNC label"),
    of("BCS",  "6502",          "JC label"),
    of("BEQ",  "6502",          "JZ label"),
    of("BIT",  "Z80 and 6502",  "ANI data8 with a mask, which changes A"),
    of("BMI",  "6502",          "JM label"),
    of("BNE",  "6502",          "JNZ label"),
    of("BPL",  "6502",          "JP label (jump if plus)"),
    of("BRA",  "65C02",         "JMP label"),
    of("BRK",  "6502",          "RST n or HLT"),
    of("CCF",  "Z80",           "CMC"),
    of("CLA",  "PDP-8",         "XRA A, which clears A"),
    of("CLC",  "6502 and 8086", "ORA A, which clears the carry and keeps A"),
    of("CLI",  "6502 and 8086", "EI on a 6502 habit, DI on an 8086 habit"),
    of("CPIR", "Z80",           "a loop of CMP M, INX H, DCX B"),
    of("CPL",  "Z80",           "CMA"),
    of("DCA",  "PDP-8",         "STA addr, then XRA A"),
    of("DEC",  "Z80, 6502 and 8086", "DCR r for a register, DCX rp for a pair"),
    of("DEX",  "6502",          "DCR r"),
    of("DEY",  "6502",          "DCR r"),
    of("DJNZ", "Z80",           "DCR B, then JNZ label"),
    of("EOR",  "6502",          "XRA r for a register, XRI data8 for a number"),
    of("EX",   "Z80",           "XCHG for DE and HL, XTHL for the top of the stack"),
    of("EXX",  "Z80",           "PUSH and POP; there is no second set of registers"),
    of("HALT", "Z80",           "HLT"),
    of("INC",  "Z80, 6502 and 8086", "INR r for a register, INX rp for a pair"),
    of("INT",  "8086",          "RST n"),
    of("IRET", "8086",          "EI, then RET"),
    of("JE",   "8086",          "JZ label"),
    of("JMS",  "PDP-8",         "CALL label"),
    of("JNE",  "8086",          "JNZ label"),
    of("JR",   "Z80",           "JMP label, or JNZ, JZ, JNC, JC with the condition in the mnemonic"),
    of("JSR",  "6502",          "CALL label"),
    of("LD",   "Z80",           "MOV r, r for registers, MVI r, data8 for a number, LDA and STA for a cell, LXI for a pair"),
    of("LDD",  "Z80",           "a loop of MOV and DCX"),
    of("LDI",  "Z80",           "a loop of MOV and INX"),
    of("LDIR", "Z80",           "a loop of MOV A, M, STAX D, INX H, INX D, DCX B"),
    of("LDX",  "6502",          "MVI r, data8 for a number, LXI H, addr and MOV r, M for a cell"),
    of("LDY",  "6502",          "MVI r, data8 for a number, LXI H, addr and MOV r, M for a cell"),
    of("LOOP", "8086",          "DCR r, then JNZ label"),
    of("LSR",  "6502",          "ORA A, then RAR"),
    of("MOVE", "PDP-10",        "MOV r, r or MVI r, data8"),
    of("MUL",  "8086",          "a loop of additions; there is no multiplication"),
    of("NEG",  "Z80 and 8086",  "CMA, then INR A"),
    of("NOT",  "8086",          "CMA"),
    of("OR",   "Z80 and 8086",  "ORA r for a register, ORI data8 for a number"),
    of("PHA",  "6502",          "PUSH PSW"),
    of("PLA",  "6502",          "POP PSW"),
    of("RETI", "Z80",           "EI, then RET"),
    of("RETN", "Z80",           "EI, then RET"),
    of("RL",   "Z80",           "RAL, for A only"),
    of("RLA",  "Z80",           "RAL"),
    of("RLCA", "Z80",           "RLC"),
    of("ROL",  "6502 and 8086", "RAL or RLC, for A only"),
    of("ROR",  "6502 and 8086", "RAR or RRC, for A only"),
    of("RR",   "Z80",           "RAR, for A only"),
    of("RRA",  "Z80",           "RAR"),
    of("RRCA", "Z80",           "RRC"),
    of("RTI",  "6502",          "EI, then RET"),
    of("RTS",  "6502",          "RET"),
    of("SBC",  "Z80 and 6502",  "SBB r for a register, SBI data8 for a number"),
    of("SCF",  "Z80",           "STC"),
    of("SEC",  "6502",          "STC"),
    of("SEI",  "6502",          "DI"),
    of("SHL",  "8086",          "ADD A, which doubles A"),
    of("SHR",  "8086",          "ORA A, then RAR"),
    of("SLA",  "Z80",           "ADD A, which doubles A"),
    of("SRL",  "Z80",           "ORA A, then RAR"),
    of("STI",  "8086",          "EI"),
    of("STX",  "6502",          "MOV A, r, then STA addr"),
    of("STY",  "6502",          "MOV A, r, then STA addr"),
    of("STZ",  "65C02",         "XRA A, then STA addr"),
    of("TAD",  "PDP-8",         "ADD r or ADI data8"),
    of("TAX",  "6502",          "MOV r, A"),
    of("TAY",  "6502",          "MOV r, A"),
    of("TEST", "8086",          "ANI data8, which changes A, or ORA A to look at A alone"),
    of("TXA",  "6502",          "MOV A, r"),
    of("TYA",  "6502",          "MOV A, r"),
    of("XOR",  "Z80 and 8086",  "XRA r for a register, XRI data8 for a number"),
];

const fn of(mnemonic: &'static str, owner: &'static str, instead: &'static str) -> Foreign {
    Foreign { mnemonic, owner, instead }
}

/// The foreign mnemonic of that name, capitals or not.
pub fn foreign(name: &str) -> Option<&'static Foreign> {
    let name = name.to_ascii_uppercase();
    FOR_8080.binary_search_by(|row| row.mnemonic.cmp(name.as_str())).ok().map(|at| &FOR_8080[at])
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_list_is_sorted() {
        assert!(FOR_8080.is_sorted_by(|a, b| a.mnemonic < b.mnemonic));
    }
}
