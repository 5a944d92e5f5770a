//! What a picture looks like.

use std::io::Cursor;

use image::imageops::{FilterType, resize};
use image::{DynamicImage, ImageDecoder, ImageReader, Limits};
use nine_core::copies::similar::print_of;
use nine_core::tree::Looks;

/// The most pixels on one side, and the most memory that decoding may take.
const SIDE: u32 = 40_000;
const MEMORY: u64 = 1 << 30;

/// Pixels on the longer side to which a picture is made smaller before it is averaged: exact averages of
/// all pixels tell nothing more.
const SMALL: u32 = 256;

/// Decodes a picture and says what it looks like, turned as its camera noted.
///
/// # Errors
/// Why it cannot be decoded, in words.
pub fn looks(bytes: &[u8]) -> Result<Looks, String> {
    let mut reader = ImageReader::new(Cursor::new(bytes)).with_guessed_format().map_err(words)?;
    let mut limits = Limits::default();
    (limits.max_image_width, limits.max_image_height) = (Some(SIDE), Some(SIDE));
    limits.max_alloc = Some(MEMORY);
    reader.limits(limits);
    let mut decoder = reader.into_decoder().map_err(words)?;
    let turned = decoder.orientation().map_err(words)?;
    let mut picture = DynamicImage::from_decoder(decoder).map_err(words)?;
    picture.apply_orientation(turned);
    let pixels = (picture.width(), picture.height());
    // What shows through is white, as most programs draw it.
    let grey = flat(picture).to_luma8();
    let grid = resize(&grey, 9, 8, FilterType::Triangle);
    let brightness = std::array::from_fn(|row| {
        std::array::from_fn(|column| grid.get_pixel(column as u32, row as u32).0[0])
    });
    Ok(Looks { pixels, print: print_of(&brightness) })
}

/// The picture made smaller and laid on white.
fn flat(picture: DynamicImage) -> DynamicImage {
    let longer = picture.width().max(picture.height());
    let small = if longer > SMALL { picture.thumbnail(SMALL, SMALL) } else { picture };
    if !small.color().has_alpha() {
        return small;
    }
    let mut white = image::RgbaImage::from_pixel(small.width(), small.height(), image::Rgba([255; 4]));
    image::imageops::overlay(&mut white, &small.to_rgba8(), 0, 0);
    white.into()
}

fn words(error: impl std::fmt::Display) -> String {
    let text = error.to_string();
    text.lines().next().unwrap_or("it cannot be decoded").to_owned()
}
