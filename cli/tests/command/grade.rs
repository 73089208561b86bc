//! One table over a class: every kind of program that is handed in has its row, and none reaches the others.

use crate::common::Bench;

const TABLE: &str = "version = 1\nprogram = \"divide.asm\"\nboard = \"plover\"\ncycles = 200_000\n[[case]]\nname = \"17 by 5\"\ngiven.memory = { dividend = 17, divisor = 5 }\nexpect.memory = { quotient = 3, remainder = 2 }\nexpect.stop = \"halt\"\n[[case]]\nname = \"4 by 9\"\nhidden = \"the divisor is the larger one\"\ngiven.memory = { dividend = 4, divisor = 9 }\nexpect.memory = { quotient = 0, remainder = 4 }\nexpect.stop = \"halt\"\n";

/// Division by repeated subtraction: what comes in front of the loop, and the loop's way out.
fn division(head: &str, end: &str) -> String {
    format!(
        "        cpu 8085\n        org 4000h\n{head}        lxi h, dividend\n        mov a, m\n        inx h\n        mvi c, 0FFh\nagain:  inr c\n        sub m\n{end}        add m\n        inx h\n        mov m, c\n        inx h\n        mov m, a\n        hlt\ndividend: ds 1\ndivisor: ds 1\nquotient: ds 1\nremainder: ds 1\n"
    )
}

const RIGHT: &str = "        jnc again\n";

fn class(bench: &Bench) {
    for folder in ["", "berg", "dahl", "empty", "two"] {
        std::fs::create_dir_all(bench.path.join("class").join(folder)).expect("a folder");
    }
    bench.write("divide.cases.toml", TABLE);
    bench.write("secret.asm", "answer equ 42\n");
    bench.write("class/abel.asm", &division("", RIGHT));
    // Of a folder the program called `main`, with a text beside it.
    bench.write("class/berg/main.asm", &division("        include \"part.asm\"\n", RIGHT));
    bench.write("class/berg/part.asm", "        nop\n");
    bench.write("class/berg/old.asm", "nonsense\n");
    // A folder's own name is as good.
    bench.write("class/dahl/dahl.asm", &division("", "        jz again\n"));
    bench.write("class/two/one.asm", "        nop\n");
    bench.write("class/two/other.asm", "        nop\n");
    bench.write("class/eide.asm", &division("        mov b, 5\n", RIGHT));
    bench.write("class/foss.asm", &division("here:   nop\n        lda tick\n        inr a\n        sta tick\n        jmp here\ntick:   ds 1\n", RIGHT));
    bench.write("class/gran.asm", &division("", RIGHT).replace("quotient:", "result:"));
    bench.write("class/hals.asm", &division("        include \"../secret.asm\"\n", RIGHT));
    bench.write("class/ims.asm", &division("        include \"berg/part.asm\"\n", RIGHT));
    bench.write("class/juel.asm", &division("        mov d, b\n", RIGHT));
    bench.write(
        "class/krog.asm",
        "        cpu 8085\n        macro again\n        again\n        endm\n        again\n",
    );
    std::fs::write(bench.path.join("class/lund.asm"), [0xFF, 0xFE, 0, 1, 2, 0x80]).expect("a file");
    bench.write("class/moe.asm", "        cpu 8085\n        org 4000h\n        ds 0FFFFFFFFh\n");
    bench.write("class/notes.txt", "no program\n");
}

#[test]
fn a_class_is_graded_with_every_kind_of_fault() {
    let bench = Bench::new();
    class(&bench);
    let ran = bench.run("cases divide --folder class --hazards");
    assert_eq!(ran.status, 1, "{}", ran.err);
    insta::assert_snapshot!(ran.out.replace('\\', "/"));
    assert_eq!(ran.err, "");
    // However many are tried at once, and whatever is written of it, the rows are the same.
    let all = bench.run("cases divide --folder class --hazards --jobs 7 --csv grades.csv --html grades.html --junit grades.xml");
    assert_eq!(all.out, ran.out);
    insta::assert_snapshot!(bench.text("grades.csv").replace('\\', "/").replace('\r', ""));
    let (page, xml) = (bench.text("grades.html"), bench.text("grades.xml"));
    assert!(
        page.starts_with("<!doctype html>")
            && !page.contains("http")
            && page.matches("<tr><th scope=\"row\">").count() == 14,
        "{page}"
    );
    assert!(xml.contains("<testsuite name=\"foss\"") && xml.contains("did not assemble: line 3"), "{xml}");
    let json = bench.json("cases divide --folder class --json");
    assert_eq!(json["programs"][0]["passed"], 2);
    assert!(
        json["programs"].as_array().is_some_and(|rows| rows.iter().any(|row| row["fault"] == "no-program"))
    );
    // An image does as well as a source, and is left out beside one.
    std::fs::create_dir(bench.path.join("lone")).expect("a folder");
    assert_eq!(bench.run("build class/abel -o hex:class/abel.hex -o hex:lone/odd.hex").status, 0);
    let lone = bench.run("cases divide --folder lone");
    assert!(lone.out.contains("odd") && lone.out.contains("lacks a name"), "{}", lone.all());
    assert_eq!(bench.run("cases divide --folder class --hazards").out, ran.out);
}

/// Of a hidden case whoever runs the table sees its kind; with the folder the teacher sees it all.
#[test]
fn a_hidden_case_tells_its_kind() {
    let bench = Bench::new();
    class(&bench);
    let own = bench.run("cases divide --program class/dahl/dahl.asm");
    assert!(
        own.out.contains("hidden: the divisor is the larger one") && !own.out.contains("4 by 9"),
        "{}",
        own.out
    );
    assert!(
        own.out.contains("it fails where the case is: the divisor is the larger one")
            || own.out.contains("passed"),
        "{}",
        own.out
    );
    for (line, status, words) in [
        ("cases --folder class", 2, "one table is run over a folder"),
        ("cases divide --folder none", 1, "none cannot be read"),
        ("cases divide --folder class --only nothing", 2, "has no case `nothing`"),
        ("cases divide --folder class/empty", 1, "has no programs"),
        ("cases divide --folder class --csv - --json", 2, "both go to standard output"),
        ("cases divide --jobs 2", 2, "--folder"),
        ("cases divide --folder class --program x", 2, "cannot be used with"),
        ("cases divide --folder class --board plovr", 2, "did you mean `plover`"),
    ] {
        let ran = bench.run(line);
        assert!(ran.status == status && ran.err.contains(words), "{line}: {} {}", ran.status, ran.err);
    }
    let shorter = bench.run("cases divide --folder class --most-cycles 40");
    assert!(shorter.out.contains("never ended"), "{}", shorter.out);
}
