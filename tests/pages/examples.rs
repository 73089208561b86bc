//! Every example is run, and says what it should.

macro_rules! example {
    ($name:ident, $path:literal) => {
        #[path = $path]
        mod $name;
    };
}

example!(listing, "../../examples/listing.rs");
example!(run, "../../examples/run.rs");
example!(chart, "../../examples/chart.rs");
example!(board, "../../examples/board.rs");
example!(watch, "../../examples/watch.rs");
example!(chip, "../../examples/chip.rs");
example!(processor, "../../examples/processor.rs");
example!(format, "../../examples/format.rs");

#[test]
fn every_example_says_what_it_should() {
    insta::assert_snapshot!("listing", listing::example().expect("it works"));
    insta::assert_snapshot!("run", run::example().expect("it works"));
    insta::assert_snapshot!("chart", chart::example().expect("it works"));
    insta::assert_snapshot!("board", board::example().expect("it works"));
    insta::assert_snapshot!("processor", processor::example().expect("it works"));
    insta::assert_snapshot!("chip", chip::example().expect("it works"));
    insta::assert_snapshot!("format", format::example().expect("it works"));
    insta::assert_snapshot!("watch", watch::example().expect("it works"));
}
