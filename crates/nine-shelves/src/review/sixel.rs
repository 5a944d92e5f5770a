//! Pictures in pixels, where the terminal draws sixels (DEC STD 070): six rows of pixels a character, a colour at a
//! time.

use nine_stores::reading::Raster;
use ratatui::layout::Rect;

use super::app::App;
use super::draw;
use super::terminal::Screen;
use crate::failure::Done;

/// Steps of each of red, green and blue.
const STEPS: usize = 6;

/// The picture on the screen.
#[derive(Default)]
pub struct Picture {
    shown: Option<(usize, Rect)>,
}

impl Picture {
    /// Draws a frame, and the picture that belongs into it.
    ///
    /// # Errors
    /// If the terminal is gone.
    pub fn show(&mut self, screen: &mut Screen, app: &mut App) -> Done {
        screen.draw(|frame| draw::all(frame, app))?;
        let wanted = draw::picture_in_pixels(app);
        if wanted == self.shown {
            return Ok(());
        }
        if self.shown.take().is_some() {
            // The cells under it are blank for whoever compares cells.
            screen.clear()?;
            screen.draw(|frame| draw::all(frame, app))?;
        }
        let picture = app.look().and_then(|look| look.picture.as_ref());
        if let (Some((_, area)), Some(picture)) = (wanted, picture) {
            screen.write_at(area.x, area.y, encode(picture).as_bytes())?;
            self.shown = wanted;
        }
        Ok(())
    }
}

/// The picture as a string of sixels.
pub fn encode(picture: &Raster) -> String {
    let mut out = format!("\x1bP0;1q\"1;1;{};{}", picture.width, picture.height);
    let percent = |step: usize| step * 100 / (STEPS - 1);
    for color in 0..STEPS.pow(3) {
        let (red, green, blue) = (color / 36, color / 6 % 6, color % 6);
        out.push_str(&format!("#{color};2;{};{};{}", percent(red), percent(green), percent(blue)));
    }
    for top in (0..picture.height).step_by(6) {
        band(picture, top, &mut out);
        out.push('-');
    }
    out.push_str("\x1b\\");
    out
}

/// Six rows of pixels: for each colour in them a line of characters, one over the other.
fn band(picture: &Raster, top: usize, out: &mut String) {
    let rows = top..(top + 6).min(picture.height);
    let mut colors: Vec<Option<Vec<u8>>> = vec![None; STEPS.pow(3)];
    for row in rows {
        for column in 0..picture.width {
            let line = colors[color_of(picture, column, row)].get_or_insert_with(|| vec![0; picture.width]);
            line[column] |= 1 << (row - top);
        }
    }
    for (color, line) in colors.iter().enumerate() {
        let Some(line) = line else { continue };
        out.push_str(&format!("#{color}"));
        for run in line.chunk_by(|a, b| a == b) {
            let sixel = char::from(63 + run[0]);
            match run.len() {
                1..=3 => (0..run.len()).for_each(|_| out.push(sixel)),
                many => out.push_str(&format!("!{many}{sixel}")),
            }
        }
        out.push('$');
    }
}

/// The colour of a pixel among those there are. Neighbours are set apart by up to half a step, so that their mean is the
/// true colour (ordered dithering by Bayer's matrix of four by four, 1973).
fn color_of(picture: &Raster, column: usize, row: usize) -> usize {
    const BAYER: [[i32; 4]; 4] = [[0, 8, 2, 10], [12, 4, 14, 6], [3, 11, 1, 9], [15, 7, 13, 5]];
    let (red, green, blue) = picture.pixel(column, row);
    let last = STEPS as i32 - 1;
    let nudge = (BAYER[row % 4][column % 4] * 2 - 15) * 255 / (32 * last);
    let step = |value: u8| (((i32::from(value) + nudge).clamp(0, 255) * last + 127) / 255) as usize;
    step(red) * 36 + step(green) * 6 + step(blue)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_picture_is_written_in_bands_of_six_rows() {
        let white = Raster { width: 5, height: 7, rgb: vec![255; 5 * 7 * 3] };
        let text = encode(&white);
        assert!(text.starts_with("\x1bP0;1q\"1;1;5;7#0;2;0;0;0#"));
        // All five columns at once, six rows of the first band and one of the second.
        assert!(text.ends_with("#215!5~$-#215!5@$-\x1b\\"), "{text}");
        let mut two = Raster { width: 2, height: 1, rgb: vec![0; 6] };
        two.rgb[..3].copy_from_slice(&[255, 0, 0]);
        assert!(encode(&two).ends_with("#0?@$#180@?$-\x1b\\"));
    }

    #[test]
    fn colours_between_the_steps_are_right_in_the_mean() {
        for value in [70, 100, 184, 212] {
            let grey = Raster { width: 4, height: 4, rgb: vec![value; 4 * 4 * 3] };
            let shown = |at: usize| color_of(&grey, at % 4, at / 4) % STEPS * 255 / (STEPS - 1);
            let mean = (0..16).map(shown).sum::<usize>() / 16;
            assert!(mean.abs_diff(usize::from(value)) < 5, "{value}: {mean}");
        }
    }
}
