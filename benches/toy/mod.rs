//! The anchor of the emulation bench: a toy machine of 256 opcodes with six flags after every arithmetic
//! instruction, cycles added and a limit checked for each, registers in locals, and a page attribute looked at on
//! writes (`wrattr`) or on all data accesses (`split`).

/// Memory with an attribute for each page.
pub struct Toy {
    pub memory: Box<[u8; 0x1_0000]>,
    pub attributes: Box<[u8; 0x100]>,
    pub instructions: u64,
    pub cycles: u64,
    pub device: u64,
}

impl Toy {
    pub fn new(program: &[u8]) -> Self {
        let mut memory = Box::new([0; 0x1_0000]);
        memory[0x100..0x100 + program.len()].copy_from_slice(program);
        Self { memory, attributes: Box::new([0; 0x100]), instructions: 0, cycles: 0, device: 0 }
    }

    #[cold]
    #[inline(never)]
    fn device(&mut self, address: u16) -> u8 {
        self.device += 1;
        address as u8
    }
}

const S: u8 = 0x80;
const Z: u8 = 0x40;
const HALF: u8 = 0x10;
const P: u8 = 0x04;
const V: u8 = 0x02;
const C: u8 = 0x01;

static SZP: [u8; 256] = {
    let mut table = [0; 256];
    let mut at = 0;
    while at < 256 {
        let byte = at as u8;
        table[at] = byte & S
            | if byte == 0 { Z } else { 0 }
            | if byte.count_ones().is_multiple_of(2) { P } else { 0 };
        at += 1;
    }
    table
};

#[inline(always)]
fn add(a: u8, b: u8, carry: u8) -> (u8, u8) {
    let sum = u16::from(a) + u16::from(b) + u16::from(carry);
    let result = sum as u8;
    let overflow = ((a ^ result) & (b ^ result)) >> 6 & V;
    (result, SZP[usize::from(result)] | (a ^ b ^ result) & HALF | overflow | (sum >> 8) as u8)
}

#[inline(always)]
fn subtract(a: u8, b: u8, carry: u8) -> (u8, u8) {
    let difference = u16::from(a).wrapping_sub(u16::from(b)).wrapping_sub(u16::from(carry));
    let result = difference as u8;
    let overflow = ((a ^ b) & (a ^ result)) >> 6 & V;
    (result, SZP[usize::from(result)] | (a ^ b ^ result) & HALF | overflow | (difference >> 8) as u8 & C)
}

/// Runs until `halt` or the limit. `SPLIT` looks at the attribute on reads too.
pub fn run<const SPLIT: bool>(toy: &mut Toy, limit: u64) {
    let (mut r, mut f, mut pc) = ([0u8; 8], 0u8, 0x100u16);
    let (mut cycles, mut count) = (toy.cycles, toy.instructions);
    macro_rules! fetch {
        () => {{
            let value = toy.memory[usize::from(pc)];
            pc = pc.wrapping_add(1);
            value
        }};
    }
    macro_rules! load {
        ($address:expr) => {{
            let address: u16 = $address;
            if SPLIT && toy.attributes[usize::from(address >> 8)] != 0 {
                toy.device(address)
            } else {
                toy.memory[usize::from(address)]
            }
        }};
    }
    macro_rules! store {
        ($address:expr, $value:expr) => {{
            let (address, value): (u16, u8) = ($address, $value);
            if toy.attributes[usize::from(address >> 8)] != 0 {
                toy.device(address);
            } else {
                toy.memory[usize::from(address)] = value;
            }
        }};
    }
    macro_rules! pair {
        ($n:expr) => {
            u16::from(r[$n & 6]) << 8 | u16::from(r[$n | 1])
        };
    }
    macro_rules! set_pair {
        ($n:expr, $value:expr) => {{
            let value: u16 = $value;
            r[$n & 6] = (value >> 8) as u8;
            r[$n | 1] = value as u8;
        }};
    }
    // One body for every opcode; `$op` is a constant in each arm, so that it folds to a few instructions.
    macro_rules! execute {
        ($op:expr) => {{
            let n: usize = $op & 7;
            match $op >> 3 {
                0 => r[n] = fetch!(),
                1 => r[0] = r[n],
                2 => r[n] = r[0],
                3 => (r[0], f) = add(r[0], r[n], 0),
                4 => (r[0], f) = add(r[0], r[n], f & C),
                5 => (r[0], f) = subtract(r[0], r[n], 0),
                6 => (r[0], f) = subtract(r[0], r[n], f & C),
                7 => {
                    r[0] &= r[n];
                    f = SZP[usize::from(r[0])];
                }
                8 => {
                    r[0] |= r[n];
                    f = SZP[usize::from(r[0])];
                }
                9 => {
                    r[0] ^= r[n];
                    f = SZP[usize::from(r[0])];
                }
                10 => f = subtract(r[0], r[n], 0).1,
                11 => {
                    let carry = f & C;
                    (r[n], f) = add(r[n], 1, 0);
                    f = f & !C | carry;
                }
                12 => {
                    let carry = f & C;
                    (r[n], f) = subtract(r[n], 1, 0);
                    f = f & !C | carry;
                }
                13 => r[0] = load!(pair!(n)),
                14 => store!(pair!(n), r[0]),
                15 => set_pair!(n, pair!(n).wrapping_add(1)),
                16 => set_pair!(n, pair!(n).wrapping_sub(1)),
                17 => {
                    let (sum, carry) = pair!(6).overflowing_add(pair!(n));
                    f = f & !C | u8::from(carry);
                    set_pair!(6, sum);
                }
                18 => {
                    let (low, high) = (fetch!(), fetch!());
                    let holds = match n {
                        0 => true,
                        1 => f & Z != 0,
                        2 => f & Z == 0,
                        3 => f & C != 0,
                        4 => f & C == 0,
                        5 => f & S != 0,
                        _ => f & P != 0,
                    };
                    if holds {
                        cycles += 3;
                        pc = u16::from(high) << 8 | u16::from(low);
                    }
                }
                19 => (r[0], f) = subtract(r[0], fetch!(), 0),
                20 => f = subtract(r[0], fetch!(), 0).1,
                21 => {
                    f = f & !C | r[0] & C;
                    r[0] = r[0].rotate_right(1);
                }
                _ => {
                    (toy.cycles, toy.instructions) = (cycles, count);
                    return;
                }
            }
        }};
    }
    macro_rules! arms {
        ($opcode:expr; $($op:literal)*) => {
            match $opcode {
                $($op => execute!(const { $op as usize }),)*
            }
        };
    }
    while cycles < limit {
        let opcode = fetch!();
        cycles += 4;
        count += 1;
        #[rustfmt::skip]
        arms!(opcode;
            0 1 2 3 4 5 6 7 8 9 10 11 12 13 14 15
            16 17 18 19 20 21 22 23 24 25 26 27 28 29 30 31
            32 33 34 35 36 37 38 39 40 41 42 43 44 45 46 47
            48 49 50 51 52 53 54 55 56 57 58 59 60 61 62 63
            64 65 66 67 68 69 70 71 72 73 74 75 76 77 78 79
            80 81 82 83 84 85 86 87 88 89 90 91 92 93 94 95
            96 97 98 99 100 101 102 103 104 105 106 107 108 109 110 111
            112 113 114 115 116 117 118 119 120 121 122 123 124 125 126 127
            128 129 130 131 132 133 134 135 136 137 138 139 140 141 142 143
            144 145 146 147 148 149 150 151 152 153 154 155 156 157 158 159
            160 161 162 163 164 165 166 167 168 169 170 171 172 173 174 175
            176 177 178 179 180 181 182 183 184 185 186 187 188 189 190 191
            192 193 194 195 196 197 198 199 200 201 202 203 204 205 206 207
            208 209 210 211 212 213 214 215 216 217 218 219 220 221 222 223
            224 225 226 227 228 229 230 231 232 233 234 235 236 237 238 239
            240 241 242 243 244 245 246 247 248 249 250 251 252 253 254 255);
    }
    (toy.cycles, toy.instructions) = (cycles, count);
}

/// The sieve in the toy's code: flags of 8192 numbers from 2000h on.
pub fn sieve() -> Vec<u8> {
    // Registers: 0 the accumulator; pairs 2:3, 4:5, 6:7.
    let ld = |n: u8, value: u8| vec![n, value];
    let op = |kind: u8, n: u8| vec![kind << 3 | n];
    let jump = |condition: u8, target: u16| vec![18 << 3 | condition, target as u8, (target >> 8) as u8];
    let mut code: Vec<u8> = Vec::new();
    let here = |code: &Vec<u8>| 0x100 + code.len() as u16;
    code.extend([ld(6, 0x20), ld(7, 0), ld(2, 0x20), ld(3, 0)].concat());
    let fill = here(&code);
    code.extend([ld(0, 1), op(14, 6), op(15, 6), op(16, 2), op(1, 2), op(8, 3), jump(2, fill)].concat());
    code.extend([ld(2, 0), ld(3, 2), ld(4, 0), ld(5, 0)].concat());
    let next = here(&code);
    code.extend([ld(6, 0x20), ld(7, 0), op(17, 2), op(13, 6), op(8, 0)].concat());
    let strike = here(&code) + 3 + 1 + 1;
    let skip = strike + 1 + 2 + 3 + 2 + 1 + 1 + 3;
    code.extend([jump(1, skip), op(15, 4), op(17, 2)].concat());
    code.extend([op(1, 6), vec![20 << 3, 0x40], jump(4, skip), ld(0, 0), op(14, 6), op(17, 2)].concat());
    code.extend(jump(0, strike));
    code.extend([op(15, 2), op(1, 2), vec![20 << 3, 0x20], jump(3, next), op(31, 0)].concat());
    code
}
