//! The general commands on the 36-bit machine, and tapes: what a person sees of them.

use crate::common::Bench;

const PACES: &str = include_str!("../../../demo/paces.asm");
const BLOCKS: &str = include_str!("../../../demo/blocks.asm");

#[test]
fn the_general_commands_speak_octal_and_words() {
    let bench = Bench::new();
    bench.write("paces.asm", PACES);
    bench.write("blocks.asm", BLOCKS);
    let evening = "code 1000 movei 1, 5\ncode 1001 halt 1000\nset PC = 1000\nstep\nregisters\nexplain\nback\nput 1000 = 254200001000\nlist 1000\nmemory 1000..1003\n";
    let lines = [
        "build paces --listing - --output block-tape:paces.btape",
        "inspect paces.btape",
        "disassemble --cpu pdp10 paces.btape",
        "run paces --trace --cycles 100 --set AC1=17 --show 200",
        "chart pdp10 sojg 254000000100 conso",
        "value --cpu pdp10 123456701234",
        "value --cpu pdp10 1.5e3",
        "card paces --board osprey",
        "flow blocks",
        "boards osprey",
        "boards gannet",
    ];
    let mut text = String::new();
    for line in lines {
        let ran = bench.run(line);
        assert_eq!(ran.status, 0, "{line}: {}", ran.all());
        text.push_str(&format!("$ plainbyte {line}\n{}\n", ran.out));
    }
    let ran = bench.run_with("monitor --board osprey", evening);
    assert_eq!(ran.status, 0, "{}", ran.all());
    text.push_str(&format!("$ plainbyte monitor --board osprey\n{}\n", ran.out));
    insta::assert_snapshot!(text);
}

#[test]
fn words_that_are_too_wide_are_refused_wherever_a_number_is_read() {
    let bench = Bench::new();
    bench.write("paces.asm", PACES);
    bench.write("wide.asm", "        cpu pdp10\n        dw 1000000000000\n        movei 1, 1000000\n");
    bench.write("wide.panel", "switches 1000000000000\n");
    bench.write("wide.cases.toml", "version = 1\nprogram = \"paces.asm\"\n[[case]]\nname = \"wide\"\ngiven.memory = { paces = 68719476736 }\nexpect.memory = { paces = 1 }\n");
    bench.write("torn.btape", "\u{3}\u{0}");
    let mut text = String::new();
    for line in [
        "build wide",
        "panel --board osprey --script wide.panel",
        "panel --board gannet --script wide.panel",
        "cases wide",
        "run paces --set AC1=1000000000000",
        "run paces --set 200=1000000000000",
        "value --cpu pdp10 1000000000000",
        "value --cpu pdp10 1e99",
        "inspect torn.btape",
        "build paces --output ptape:paces.ptape",
        "card paces --board heron",
    ] {
        let ran = bench.run(line);
        assert_ne!(ran.status, 0, "{line}: {}", ran.all());
        text.push_str(&format!("$ plainbyte {line}\n{}\n", ran.err));
    }
    for line in ["put 200 = 1000000000000", "set AC3 = 1000000000000", "code 200 movei 1, 1000000"] {
        let ran = bench.run_with("monitor --board osprey", &format!("{line}\n"));
        assert_eq!(ran.status, 1, "{line}: {}", ran.all());
        text.push_str(&format!("> {line}\n{}\n", ran.err));
    }
    insta::assert_snapshot!(text);
}
