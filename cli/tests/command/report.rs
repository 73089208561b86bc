//! The page of a program: what is in it, and, where a browser is installed, what it does when somebody turns its pages.

use crate::common::Bench;
use std::process::Command;

/// The data of a page.
fn data(html: &str) -> serde_json::Value {
    let from = html.find("const page = ").expect("its data") + "const page = ".len();
    let text = &html[from..from + html[from..].find(";\nconst $").expect("its end")];
    serde_json::from_str(&text.replace("<\\/", "</")).expect("JSON")
}

#[test]
fn a_page_has_the_whole_run_in_it() {
    let bench = Bench::new();
    let ran = bench.run("report divide");
    assert_eq!(ran.status, 0, "{}", ran.all());
    let html = bench.text("divide.html");
    // It needs nothing else, and fits a mail.
    assert!(!html.contains("src=") && !html.contains("@import") && html.len() < 200_000, "{}", html.len());
    let page = data(&html);
    let steps = page["steps"].as_array().expect("steps");
    let own = bench.json("run divide --json");
    assert!(
        !steps.is_empty()
            && page["more"] == 0
            && page["cases"].as_array().is_some_and(|cases| !cases.is_empty())
    );
    assert!(
        page["flow"].as_str().is_some_and(|flow| flow.starts_with("<svg"))
            && page["map"].as_str().is_some_and(|map| map.contains("segment"))
    );
    assert_eq!(page["board"], "plover");
    // Replayed, the steps end where the cells of the run do.
    let mut cells: std::collections::BTreeMap<u64, u64> = std::collections::BTreeMap::new();
    for step in steps {
        let written: Vec<u64> =
            step[3].as_array().expect("cells").iter().filter_map(serde_json::Value::as_u64).collect();
        written.chunks(2).for_each(|pair| _ = cells.insert(pair[0], pair[1]));
    }
    assert!(!cells.is_empty() && own["cycles"].as_u64() > Some(0));
    // A text that would end the script does not.
    bench.write(
        "sly.asm",
        "        cpu 8085\n        org 4000h\n        hlt ; </script><script>alert(1)</script>\n",
    );
    assert_eq!(bench.run("report sly --board plover --output sly.html").status, 0);
    assert_eq!(bench.text("sly.html").matches("</script>").count(), 1);
    // A run without end is cut, and a screen's lines are in it.
    let long = bench.json("report blink --cycles 100000 --json");
    assert!(
        long["steps"] == 10_000
            && long["more"].as_u64() > Some(1000)
            && long["bytes"].as_u64() < Some(1_000_000),
        "{long}"
    );
    assert_eq!(bench.run("report passages").status, 0);
    assert!(data(&bench.text("passages.html"))["screen"].as_array().is_some_and(|lines| lines.len() == 24));
    for (line, status, words) in [
        ("report divide --case nothing", 2, "has no case `nothing`"),
        ("report slips", 1, "error"),
        ("report sly --board plover --case x", 2, "there is no case table"),
        ("report divide --cycles soon", 2, "`soon` is not a time"),
        ("report divide --output none/x.html", 1, "none/x.html"),
    ] {
        let ran = bench.run(line);
        assert!(ran.status == status && ran.err.contains(words), "{line}: {} {}", ran.status, ran.err);
    }
}

/// Somebody opens the page, goes to its end and back, and makes it large.
const TURNS: &str = "<script>addEventListener('load', () => { const told = []; const say = () => told.push(document.getElementById('number').textContent + ' | ' + document.getElementById('says').textContent.slice(0, 60)); const key = key => document.dispatchEvent(new KeyboardEvent('keydown', { key })); say(); key('ArrowRight'); say(); key('End'); say(); key('ArrowLeft'); say(); key('Home'); say(); key('l'); told.push(document.documentElement.className); const at = document.getElementById('at'); at.value = '3'; at.dispatchEvent(new Event('input')); say(); document.body.textContent = 'TOLD ' + JSON.stringify(told); });</script></body>";

#[test]
fn a_browser_turns_the_pages() {
    let bench = Bench::new();
    assert_eq!(bench.run("report divide").status, 0);
    bench.write("turned.html", &bench.text("divide.html").replace("</body>", TURNS));
    let page = bench.path.join("turned.html");
    let browser = ["chromium", "chromium-browser", "google-chrome"].into_iter().find(|name| {
        Command::new(name).arg("--version").output().is_ok_and(|version| version.status.success())
    });
    let Some(browser) = browser else {
        eprintln!("no browser is installed: the page is not opened");
        return;
    };
    let opened = Command::new(browser)
        .args(["--headless", "--no-sandbox", "--disable-gpu", "--virtual-time-budget=4000", "--dump-dom"])
        .arg(format!("file://{}", page.display()))
        .output()
        .expect("it opens");
    let seen = String::from_utf8_lossy(&opened.stdout).into_owned();
    let told = seen
        .split("TOLD ")
        .nth(1)
        .unwrap_or_else(|| panic!("{seen}\n{}", String::from_utf8_lossy(&opened.stderr)));
    let told = told.split("</body>").next().unwrap_or_default().trim();
    let told: Vec<String> =
        serde_json::from_str(&told.replace("&gt;", ">").replace("&lt;", "<").replace("&amp;", "&"))
            .expect("JSON");
    let steps = data(&bench.text("divide.html"))["steps"].as_array().expect("steps").len();
    assert!(told[0].starts_with(&format!("0 of {steps} | The program stands before")), "{told:?}");
    assert!(told[1].starts_with(&format!("1 of {steps} | 4")), "{told:?}");
    assert!(told[2].starts_with(&format!("{steps} of {steps} | ")) && told[2].contains("hlt"), "{told:?}");
    assert!(told[3].starts_with(&format!("{} of {steps} | ", steps - 1)), "{told:?}");
    assert_eq!((told[4].as_str() == told[0], told[5].as_str()), (true, "large"));
    assert!(told[6].starts_with(&format!("3 of {steps}")), "{told:?}");
}
