use maud::html;

use super::parts::{Column, markup, name, number, table};
use super::rules::Rules;
use super::{SCRIPT, hash};

#[test]
fn text_is_text_whatever_is_in_it() {
    let rows = vec![vec![
        name("<script>alert(1)</script>\" onload=\"x"),
        number(12_345),
        markup(html! { b { "&" } }),
    ]];
    let columns = [Column::Words("<Name>"), Column::Number("N"), Column::Words("")];
    let shown = table("t", "It's <b>", &columns, rows).into_string();
    assert!(
        !shown.contains("<script") && !shown.contains("<Name>") && !shown.contains("\" onload"),
        "{shown}"
    );
    assert!(shown.contains("data-key=\"12345\">12,345<"), "{shown}");
}

#[test]
fn a_rule_stands_once() {
    let rules = Rules::default();
    let (a, b, again) =
        (rules.percent("width", 0.5), rules.percent("width", 0.25), rules.percent("width", 0.5));
    assert!(a == again && a != b);
    assert_eq!(rules.text(), ":root .r0{width:50.00%}:root .r1{width:25.00%}");
}

#[test]
fn a_policy_names_the_script_by_its_hash() {
    assert_eq!(hash(""), "sha256-47DEQpj8HBSa+/TImW+5JCeuQeRkm5NMpJWZG3hSuFU=");
    assert!(hash(SCRIPT) != hash(""));
}
