//! What a picture looks like: its print, and its pixels made smaller.

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

/// A picture made smaller: its pixels row by row, three bytes each (red, green, blue).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Raster {
    /// Pixels across.
    pub width: usize,
    /// Pixels down.
    pub height: usize,
    /// `3 * width * height` bytes.
    pub rgb: Vec<u8>,
}

impl Raster {
    /// As the process that decodes pictures answers it: the width, and each byte in two digits.
    pub fn written(&self) -> String {
        let mut out = format!("{} ", self.width);
        for byte in &self.rgb {
            out.push(char::from(DIGITS[usize::from(byte >> 4)]));
            out.push(char::from(DIGITS[usize::from(byte & 15)]));
        }
        out
    }

    /// Reads what [`Raster::written`] wrote; `None` if that is none.
    pub fn read(text: &str) -> Option<Self> {
        let (width, digits) = text.split_once(' ')?;
        let width: usize = width.parse().ok()?;
        let digit = |digit: u8| char::from(digit).to_digit(16);
        let pair = |pair: &[u8]| match pair {
            [high, low] => u8::try_from(digit(*high)? << 4 | digit(*low)?).ok(),
            _ => None,
        };
        let rgb = digits.as_bytes().chunks(2).map(pair).collect::<Option<Vec<u8>>>()?;
        let row = width.checked_mul(3).filter(|row| *row > 0)?;
        let is_whole = !rgb.is_empty() && rgb.len() % row == 0;
        is_whole.then(|| Self { width, height: rgb.len() / row, rgb })
    }

    /// It as a JPEG file; `None` if it has too many pixels for one.
    pub fn to_jpeg(&self) -> Option<Vec<u8>> {
        let (width, height) = (u32::try_from(self.width).ok()?, u32::try_from(self.height).ok()?);
        let pixels = image::RgbImage::from_raw(width, height, self.rgb.clone())?;
        let mut bytes = Cursor::new(Vec::new());
        let coder = image::codecs::jpeg::JpegEncoder::new_with_quality(&mut bytes, QUALITY);
        pixels.write_with_encoder(coder).ok()?;
        Some(bytes.into_inner())
    }

    /// The colour of a pixel.
    pub fn pixel(&self, column: usize, row: usize) -> (u8, u8, u8) {
        let at = 3 * (row * self.width + column);
        (self.rgb[at], self.rgb[at + 1], self.rgb[at + 2])
    }
}

/// How good a JPEG file of it is, of 100: good enough at a size at which nothing is looked at closely.
const QUALITY: u8 = 70;

const DIGITS: &[u8; 16] = b"0123456789abcdef";

/// Decodes a picture, turned as its camera noted.
fn decode(bytes: &[u8]) -> Result<DynamicImage, String> {
    let mut reader = ImageReader::new(Cursor::new(bytes)).with_guessed_format().map_err(words)?;
    let mut limits = Limits::default();
    (limits.max_image_width, limits.max_image_height) = (Some(SIDE), Some(SIDE));
    limits.max_alloc = Some(MEMORY);
    reader.limits(limits);
    let mut decoder = reader.into_decoder().map_err(words)?;
    let turned = decoder.orientation().map_err(words)?;
    let mut picture = DynamicImage::from_decoder(decoder).map_err(words)?;
    picture.apply_orientation(turned);
    Ok(picture)
}

/// Decodes a picture and makes it fit into so many pixels; a small one stays as it is.
///
/// # Errors
/// Why it cannot be decoded, in words.
pub fn raster(bytes: &[u8], across: u32, down: u32) -> Result<Raster, String> {
    let picture = decode(bytes)?;
    let fits = picture.width() <= across && picture.height() <= down;
    let small = if fits { picture } else { picture.thumbnail(across.max(1), down.max(1)) };
    let rgb = on_white(small).to_rgb8();
    let (width, height) = (rgb.width() as usize, rgb.height() as usize);
    Ok(Raster { width, height, rgb: rgb.into_raw() })
}

/// Decodes a picture and says what it looks like.
///
/// # Errors
/// Why it cannot be decoded, in words.
pub fn looks(bytes: &[u8]) -> Result<Looks, String> {
    let picture = decode(bytes)?;
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
    on_white(if longer > SMALL { picture.thumbnail(SMALL, SMALL) } else { picture })
}

/// The picture laid on white.
fn on_white(small: DynamicImage) -> DynamicImage {
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

#[cfg(test)]
mod tests {
    use super::*;

    fn png(width: u32, height: u32) -> Vec<u8> {
        let picture = image::RgbaImage::from_fn(width, height, |x, _| match x % 2 {
            0 => image::Rgba([200, 10, 10, 255]),
            _ => image::Rgba([0, 0, 0, 0]),
        });
        let mut bytes = Cursor::new(Vec::new());
        picture.write_to(&mut bytes, image::ImageFormat::Png).unwrap();
        bytes.into_inner()
    }

    #[test]
    fn a_picture_is_made_to_fit_and_read_as_it_was_written() {
        let small = raster(&png(2, 1), 10, 10).unwrap();
        // What shows through is white.
        assert_eq!((small.pixel(0, 0), small.pixel(1, 0)), ((200, 10, 10), (255, 255, 255)));
        let large = raster(&png(300, 100), 30, 30).unwrap();
        assert_eq!((large.width, large.height), (30, 10));
        let jpeg = large.to_jpeg().unwrap();
        let again = raster(&jpeg, 30, 30).unwrap();
        assert_eq!((again.width, again.height), (30, 10));
        assert_eq!(Raster::read(&large.written()), Some(large));
        for wrong in [
            "",
            "3",
            "0 ffffff",
            "2 ffffff",
            "1 fffffg",
            "1 fffff",
            "1 +f+f+f",
            "9223372036854775807 ff",
            "1 ",
        ] {
            assert_eq!(Raster::read(wrong), None, "{wrong}");
        }
        assert!(raster(b"no picture", 9, 9).is_err());
    }
}
