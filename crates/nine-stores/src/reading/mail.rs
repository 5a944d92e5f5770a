//! Mail by RFC 5322: who, about what, and its texts; attachments by their names only.

use mail_parser::{Address, MessageParser, MimeHeaders};

use super::{Body, Words, page};

pub(super) fn words(bytes: &[u8]) -> Words {
    let Some(mail) = MessageParser::default().parse(bytes) else {
        return Words::none("it is not mail that can be read");
    };
    let mut body = Body::default();
    for address in [mail.from(), mail.to(), mail.cc()].into_iter().flatten() {
        add_people(&mut body, address);
    }
    body.add(mail.subject().unwrap_or_default());
    body.add("\n");
    for (at, part) in mail.text_bodies().enumerate() {
        match (part.is_text_html(), part.text_contents()) {
            (true, Some(html)) => body.add(&page::text(html).text),
            (false, Some(text)) => body.add(text),
            (_, None) => mail.body_text(at).is_none_or(|text| body.add(&text)),
        };
        body.add("\n");
    }
    for name in mail.attachments().filter_map(|part| part.attachment_name()) {
        body.add(name);
        body.add("\n");
    }
    body.into_words("")
}

fn add_people(body: &mut Body, address: &Address) {
    for person in address.iter() {
        let parts = [person.name.as_deref(), person.address.as_deref()];
        for part in parts.into_iter().flatten() {
            body.add(part);
            body.add(" ");
        }
        body.add("\n");
    }
}
