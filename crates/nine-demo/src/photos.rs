//! The museum's photos: sorted ones on a shelf, and what came from a telephone, most of it the same.
//!
//! Nothing here is drawn by hand: each scene is made of its number, the same at any size, so that a
//! smaller one is what resizing would give.

use std::io;

use image::codecs::jpeg::JpegEncoder;
use image::{ExtendedColorType, ImageEncoder, Rgb, RgbImage};
use jiff::civil::Date;

use crate::exif::{CameraNote, with_note};

/// A photo, and where it lies below the world's folder.
pub struct Photo {
    /// Its path below the world's folder.
    pub at: String,
    /// Its bytes.
    pub bytes: Vec<u8>,
    /// How many days ago its file was changed.
    pub days: u32,
}

/// The events of which photos stand on the shelf, with their folders.
const EVENTS: [(&str, &str, u32); 3] = [
    ("Regatta", "Documents/5 Pictures/2030/Regatta", 285),
    ("Open day", "Documents/5 Pictures/2030/Open day", 240),
    ("Petrel in the workshop", "Documents/5 Pictures/2031/Petrel in the workshop", 60),
];

/// How many photos there are of each event.
const OF_EACH: u32 = 9;

/// What was taken since and is nowhere yet.
const NEW: u32 = 7;

const SIZE: (u32, u32) = (160, 120);

/// All photos of the sample world.
///
/// # Errors
/// If one cannot be encoded.
pub fn photos(today: Date) -> io::Result<Vec<Photo>> {
    // A photo says of itself when it was taken, whatever became of its file.
    let noted = |bytes: Vec<u8>, days: u32, nth: u32| {
        let day = today.saturating_sub(jiff::Span::new().days(i64::from(days)));
        let taken = day.at(10, nth as i8 % 60, 0, 0);
        let note = CameraNote { camera: ("Petrel", "Petrel Compact 3"), taken, zone: Some("+00:00") };
        with_note(&bytes, &note)
    };
    let mut photos = Vec::new();
    let mut number = 3001;
    for (event, (name, folder, days)) in (0..).zip(EVENTS) {
        for nth in 1..=OF_EACH {
            let bytes = noted(jpeg(&scene(event * 100 + nth, SIZE.0, SIZE.1), 85)?, days, nth);
            let sorted = format!("{folder}/{name} {nth:02}.jpg");
            // The open day came as the folder that it was sorted into; the others as the telephone has
            // them, and one photo of each had been deleted there.
            let imported = match name {
                "Open day" => Some(format!("Phone import/Open day/{name} {nth:02}.jpg")),
                _ if nth == 5 => None,
                _ => Some(format!("Phone import/DCIM/100TERN/IMG_{number}.JPG")),
            };
            number += 1;
            photos.extend(imported.map(|at| Photo { at, bytes: bytes.clone(), days: 3 }));
            photos.push(Photo { at: sorted, bytes, days });
        }
    }
    for nth in 0..NEW {
        let bytes = noted(jpeg(&scene(900 + nth, SIZE.0, SIZE.1), 85)?, 12, nth);
        photos.push(Photo {
            at: format!("Phone import/DCIM/101TERN/IMG_{}.JPG", number + nth),
            bytes,
            days: 3,
        });
    }
    // Smaller ones for the website, and one that was saved anew.
    for nth in 1..=4 {
        let bytes = jpeg(&scene(nth, SIZE.0 / 2, SIZE.1 / 2), 60)?;
        let at = format!("Documents/5 Pictures/2030/For the website/regatta-{nth}.jpg");
        photos.push(Photo { at, bytes, days: 280 });
    }
    let bytes = jpeg(&scene(201, SIZE.0, SIZE.1), 40)?;
    photos.push(Photo { at: "Documents/5 Pictures/2031/petrel for the letter.jpg".into(), bytes, days: 55 });
    Ok(photos)
}

/// A picture as JPEG of some quality, 1 to 100.
///
/// # Errors
/// If it cannot be encoded.
pub fn jpeg(picture: &RgbImage, quality: u8) -> io::Result<Vec<u8>> {
    let mut out = Vec::new();
    let encoder = JpegEncoder::new_with_quality(&mut out, quality);
    let (width, height) = picture.dimensions();
    encoder
        .write_image(picture.as_raw(), width, height, ExtendedColorType::Rgb8)
        .map_err(io::Error::other)?;
    Ok(out)
}

/// A soft spot of one colour.
struct PhotoSpot {
    at: (f32, f32),
    reach: (f32, f32),
    colour: [f32; 3],
}

/// The scene of a number at some size: light that falls off to one side, and things in it.
pub fn scene(number: u32, width: u32, height: u32) -> RgbImage {
    let mut chance = Chance(u64::from(number).wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1);
    let (top, bottom) = (chance.colour(), chance.colour());
    let lean = chance.between(-0.8, 0.8);
    let spots: Vec<PhotoSpot> = (0..9)
        .map(|_| PhotoSpot {
            at: (chance.between(0.0, 1.0), chance.between(0.0, 1.0)),
            reach: (chance.between(0.05, 0.3), chance.between(0.05, 0.3)),
            colour: chance.colour(),
        })
        .collect();
    let ripple = (chance.between(5.0, 40.0), chance.between(5.0, 40.0));
    RgbImage::from_fn(width, height, |x, y| {
        let (fx, fy) = ((x as f32 + 0.5) / width as f32, (y as f32 + 0.5) / height as f32);
        let fall = (fy + lean * (fx - 0.5)).clamp(0.0, 1.0);
        let mut colour: [f32; 3] = std::array::from_fn(|c| top[c] + (bottom[c] - top[c]) * fall);
        for spot in &spots {
            let (dx, dy) = ((fx - spot.at.0) / spot.reach.0, (fy - spot.at.1) / spot.reach.1);
            let cover = (1.3 - (dx * dx + dy * dy)).clamp(0.0, 1.0);
            colour = std::array::from_fn(|c| colour[c] + (spot.colour[c] - colour[c]) * cover);
        }
        let grain = (fx * ripple.0).sin() * (fy * ripple.1).cos() * 8.0;
        Rgb(colour.map(|c| (c + grain).clamp(0.0, 255.0) as u8))
    })
}

/// A stream of numbers that is the same for the same start (xorshift, Marsaglia 2003).
struct Chance(u64);

impl Chance {
    fn between(&mut self, low: f32, high: f32) -> f32 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        low + (high - low) * ((self.0 >> 40) as f32 / (1u64 << 24) as f32)
    }

    fn colour(&mut self) -> [f32; 3] {
        let bright = self.between(20.0, 235.0);
        std::array::from_fn(|_| (bright + self.between(-35.0, 35.0)).clamp(0.0, 255.0))
    }
}
