//! PDF, page by page, so that what was read before a damaged page is kept.

use std::panic::{AssertUnwindSafe, catch_unwind};

use nine_core::metadata::{FigureField, Metadata, TextField};
use pdf_extract::{Document, PlainTextOutput, output_doc_page};

use super::{Body, Words};

/// Pages that are read.
const PAGES: u32 = 5_000;

pub(super) fn words(bytes: &[u8]) -> Words {
    // The library panics on what it does not expect; that is no fault of ours to end on.
    catch_unwind(AssertUnwindSafe(|| read(bytes))).unwrap_or_else(|_| Words::none("the PDF is damaged"))
}

/// How many pages there are.
pub(super) fn pages(bytes: &[u8]) -> Option<usize> {
    catch_unwind(AssertUnwindSafe(|| open(bytes).ok().map(|pdf| pdf.get_pages().len()))).ok().flatten()
}

/// Title, author, and how many pages there are.
fn said(pdf: &Document) -> Metadata {
    let mut said = Metadata::default();
    let info = pdf.trailer.get(b"Info").ok().and_then(|info| match info.as_reference() {
        Ok(at) => pdf.get_dictionary(at).ok(),
        Err(_) => info.as_dict().ok(),
    });
    for (key, field) in [(b"Title".as_slice(), TextField::Title), (b"Author", TextField::Author)] {
        let value = info.and_then(|info| info.get(key).ok());
        let text = value.and_then(|value| pdf_extract::decode_text_string(value).ok());
        said.set_text(field, &text.unwrap_or_default());
    }
    said.set_figure(FigureField::Pages, pdf.get_pages().len() as u64);
    said
}

fn open(bytes: &[u8]) -> Result<Document, Words> {
    let mut pdf = Document::load_mem(bytes).map_err(|_| Words::none("the PDF is damaged"))?;
    // Many are locked against changes only and open with no password.
    if pdf.is_encrypted() && pdf.decrypt("").is_err() {
        return Err(Words::none("the PDF is locked with a password"));
    }
    Ok(pdf)
}

fn read(bytes: &[u8]) -> Words {
    let pdf = match open(bytes) {
        Ok(pdf) => pdf,
        Err(words) => return words,
    };
    let (mut body, mut failed) = (Body::default(), 0);
    for page in pdf.get_pages().into_keys().take(PAGES as usize) {
        let mut text = String::new();
        let read = catch_unwind(AssertUnwindSafe(|| {
            output_doc_page(&pdf, &mut PlainTextOutput::new(&mut text), page)
        }));
        failed += u32::from(!matches!(read, Ok(Ok(()))));
        if !body.add(&text) {
            break;
        }
    }
    let note = match failed {
        0 => String::new(),
        1 => "one of its pages cannot be read".into(),
        many => format!("{many} of its pages cannot be read"),
    };
    Words { said: said(&pdf).to_json(), ..body.into_words(&note) }
}
