//! The lexer: every token, places that cover the text, and nothing lost.

use plain_byte::assembler::lexer::{Kind, Lexer, Token};
use proptest::prelude::*;

fn tokens(text: &str) -> Vec<(Kind, String)> {
    let mut lexer = Lexer::new(text);
    let mut list = Vec::new();
    loop {
        let Token { kind, start, end } = lexer.token();
        if kind == Kind::End {
            return list;
        }
        list.push((kind, text.get(start as usize..end as usize).unwrap_or("?").to_string()));
    }
}

#[test]
fn every_kind_of_token_is_cut_where_it_ends() {
    let cases: &[(&str, &[(Kind, &str)])] = &[
        ("", &[]),
        ("  \t\r", &[]),
        ("; all of this", &[]),
        ("a;b\nc", &[(Kind::Name, "a"), (Kind::Line, "\n"), (Kind::Name, "c")]),
        ("mvi a,12h", &[(Kind::Name, "mvi"), (Kind::Name, "a"), (Kind::Comma, ","), (Kind::Number, "12h")]),
        (
            ".x _y ?z @w a.b",
            &[
                (Kind::Name, ".x"),
                (Kind::Name, "_y"),
                (Kind::Name, "?z"),
                (Kind::Name, "@w"),
                (Kind::Name, "a.b"),
            ],
        ),
        (
            "0FFh 0x1F 12. 1_0",
            &[(Kind::Number, "0FFh"), (Kind::Number, "0x1F"), (Kind::Number, "12."), (Kind::Number, "1_0")],
        ),
        ("$ $1F $x", &[(Kind::Here, "$"), (Kind::Number, "$1F"), (Kind::Here, "$"), (Kind::Name, "x")]),
        ("%101", &[(Kind::Percent, "%"), (Kind::Number, "101")]),
        ("'A' \"a;b\" '\\''", &[(Kind::Text, "'A'"), (Kind::Text, "\"a;b\""), (Kind::Text, "'\\''")]),
        ("\"open\nnext", &[(Kind::OpenText, "\"open"), (Kind::Line, "\n"), (Kind::Name, "next")]),
        ("\"open\\\nnext", &[(Kind::OpenText, "\"open\\"), (Kind::Line, "\n"), (Kind::Name, "next")]),
        ("'", &[(Kind::OpenText, "'")]),
        ("a:b", &[(Kind::Name, "a"), (Kind::Colon, ":"), (Kind::Name, "b")]),
        (
            "(1+2)-3*4/5",
            &[
                (Kind::Open, "("),
                (Kind::Number, "1"),
                (Kind::Plus, "+"),
                (Kind::Number, "2"),
                (Kind::Close, ")"),
                (Kind::Minus, "-"),
                (Kind::Number, "3"),
                (Kind::Star, "*"),
                (Kind::Number, "4"),
                (Kind::Slash, "/"),
                (Kind::Number, "5"),
            ],
        ),
        (
            "<<<=<>>>=>",
            &[
                (Kind::ShiftLeft, "<<"),
                (Kind::LessEqual, "<="),
                (Kind::Less, "<"),
                (Kind::ShiftRight, ">>"),
                (Kind::GreaterEqual, ">="),
                (Kind::Greater, ">"),
            ],
        ),
        (
            "&&&|||^~!!===",
            &[
                (Kind::AndAnd, "&&"),
                (Kind::And, "&"),
                (Kind::OrOr, "||"),
                (Kind::Or, "|"),
                (Kind::Caret, "^"),
                (Kind::Tilde, "~"),
                (Kind::Not, "!"),
                (Kind::NotEqual, "!="),
                (Kind::EqualEqual, "=="),
            ],
        ),
        ("=", &[(Kind::Equal, "=")]),
        ("#[é\0", &[(Kind::Hash, "#"), (Kind::Bad, "["), (Kind::Bad, "é\0")]),
    ];
    for (text, expected) in cases {
        let expected: Vec<(Kind, String)> =
            expected.iter().map(|&(kind, text)| (kind, text.to_string())).collect();
        assert_eq!(tokens(text), expected, "{text:?}");
    }
}

#[test]
fn the_end_is_the_end_again_and_again() {
    let mut lexer = Lexer::new("x");
    lexer.token();
    for _ in 0..3 {
        assert_eq!(lexer.token(), Token { kind: Kind::End, start: 1, end: 1 });
    }
}

#[test]
fn a_line_can_be_left_out() {
    let mut lexer = Lexer::new("mvi a, \"b\nnext");
    lexer.token();
    lexer.skip_line();
    assert_eq!(lexer.token().kind, Kind::Line);
    assert_eq!(lexer.token().start, 10);
}

proptest! {
    /// Tokens come in order, never overlap, and between them stand blanks and comments only.
    #[test]
    fn nothing_is_lost_between_tokens(text in "[ -~\n\té]{0,200}") {
        let mut lexer = Lexer::new(&text);
        let mut at = 0;
        loop {
            let token = lexer.token();
            prop_assert!(token.start as usize >= at && token.end >= token.start);
            let between = &text[at..token.start as usize];
            let comment = between.trim_start_matches([' ', '\t', '\r']);
            prop_assert!(comment.is_empty() || comment.starts_with(';') && !comment.contains('\n'), "{between:?}");
            if token.kind == Kind::End {
                break;
            }
            prop_assert!(token.end > token.start, "a token takes at least a byte");
            prop_assert_eq!(token.kind == Kind::Line, &text[token.start as usize..token.end as usize] == "\n");
            at = token.end as usize;
        }
    }
}
