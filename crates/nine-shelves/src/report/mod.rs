//! A report as one page of HTML that needs nothing else: drawn from [`Report`] alone. Text is escaped by the templates;
//! styles and the script stand in the page, and its policy allows nothing but these.

mod copies;
mod lists;
mod map;
mod parts;
mod places;
mod rules;
mod sentence;
mod treemap;
mod weeks;

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use maud::{DOCTYPE, Markup, PreEscaped, html};
use nine_engine::report::Report;
use sha2::{Digest, Sha256};

use rules::Rules;

const STYLE: &str = include_str!("page.css");
const SCRIPT: &str = include_str!("page.js");

/// Sections: where they are on the page, and their headings.
const SECTIONS: [(&str, &str); 10] = [
    ("weeks", "Week by week"),
    ("places", "Place by place"),
    ("largest", "The largest"),
    ("oldest", "Untouched for longest"),
    ("odd", "What is odd"),
    ("copies", "Copies"),
    ("archive", "The archive"),
    ("runs", "What was done"),
    ("tags", "Tags"),
    ("pictures", "Pictures"),
];

/// The page.
pub fn page(report: &Report) -> String {
    let rules = Rules::default();
    let body = body(report, &rules);
    let style = format!("{STYLE}{}", rules.text());
    let policy = format!(
        "default-src 'none'; style-src '{}'; script-src '{}'; img-src data:; base-uri 'none'; form-action 'none'; \
         require-trusted-types-for 'script'",
        hash(&style),
        hash(SCRIPT.trim())
    );
    let page = html! {
        (DOCTYPE)
        html lang="en" {
            head {
                meta charset="utf-8";
                meta http-equiv="Content-Security-Policy" content=(policy);
                meta name="viewport" content="width=device-width, initial-scale=1";
                meta name="color-scheme" content="light dark";
                meta name="referrer" content="no-referrer";
                meta name="generator" content={ "nine " (env!("CARGO_PKG_VERSION")) };
                title { "Nine Shelves, " (report.made) }
                link rel="icon" href="data:,";
                style { (PreEscaped(&style)) }
            }
            body {
                (body)
                script { (PreEscaped(SCRIPT.trim())) }
            }
        }
    };
    page.into_string()
}

/// As a policy names a style or a script (Content Security Policy, hash-source).
fn hash(text: &str) -> String {
    format!("sha256-{}", STANDARD.encode(Sha256::digest(text)))
}

fn body(report: &Report, rules: &Rules) -> Markup {
    let sections: [Option<Markup>; 10] = [
        weeks::section(report, rules),
        places::section(report, rules),
        lists::largest(report),
        lists::oldest(report),
        lists::odd(report),
        copies::section(report),
        lists::archive(report),
        lists::runs(report),
        lists::tags(report, rules),
        lists::pictures(report),
    ];
    let told: Vec<((&str, &str), Markup)> =
        SECTIONS.into_iter().zip(sections).filter_map(|(section, markup)| Some((section, markup?))).collect();
    html! {
        a.skip href="#main" { "To the report" }
        header {
            p.faint { "Nine Shelves" }
            h1 { "How it stands on " time { (report.made) } }
            p.state { (sentence::state(report)) }
            nav aria-label="Sections" {
                ul { @for ((id, heading), _) in &told { li { a href={ "#" (id) } { (heading) } } } }
            }
        }
        main #main {
            @for ((id, heading), markup) in &told {
                section id=(id) aria-labelledby={ (id) "-heading" } {
                    h2 id={ (id) "-heading" } { (heading) }
                    (markup)
                }
            }
        }
        footer {
            p {
                "Made by " code { "nine report" } " on " (report.made) ". Nothing in it comes from elsewhere, and it sends nothing."
                @if report.names_hidden { " Names of files are left out, and so are those of folders inside folders." }
            }
        }
    }
}

#[cfg(test)]
mod tests;
