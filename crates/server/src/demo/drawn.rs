//! The demo's photographs: the outline of a body, drawn from the same strokes as the body map. Nobody stood before a camera.

use image::{ImageFormat, Rgb, RgbImage};
use impulso_core::{
    catalogue,
    picture::{BodyMap, Stroke},
};

const WIDTH: u32 = 480;
const HEIGHT: u32 = 640;
const WALL: Rgb<u8> = Rgb([226, 222, 212]);
const FLOOR: Rgb<u8> = Rgb([198, 191, 176]);
const BODY: Rgb<u8> = Rgb([86, 104, 108]);

/// A standing figure, its trunk as wide as `girth` says (1 as the figure is drawn), as a JPEG.
pub fn figure(girth: f64) -> Option<Vec<u8>> {
    let BodyMap { strokes, .. } = catalogue::find("body").ok()?.body_map()?;
    let mut picture = RgbImage::from_fn(WIDTH, HEIGHT, |_, y| if y < HEIGHT - 70 { WALL } else { FLOOR });
    let all = || strokes.iter().flat_map(|s| &s.points);
    let span = |of: fn(&(f64, f64)) -> f64| all().map(of).fold((f64::MAX, f64::MIN), |(low, high), v| (low.min(v), high.max(v)));
    let ((left, right), (top, bottom)) = (span(|p| p.0), span(|p| p.1));
    let scale = (f64::from(HEIGHT) - 110.0) / (bottom - top);
    let place = |(x, y): (f64, f64)| (f64::from(WIDTH) / 2.0 + (x - f64::midpoint(left, right)) * scale, 60.0 + (y - top) * scale);
    // The widest stroke is the trunk.
    let widest = strokes.iter().filter(|s| s.points.len() > 1).map(|s| s.width).fold(0.0, f64::max);
    for stroke in &strokes {
        let is_trunk = stroke.points.len() > 1 && stroke.width >= widest;
        put_down(&mut picture, stroke, &place, stroke.width * scale * if is_trunk { girth } else { 1.0 });
    }
    let mut jpeg = std::io::Cursor::new(Vec::new());
    picture.write_to(&mut jpeg, ImageFormat::Jpeg).ok()?;
    Some(jpeg.into_inner())
}

/// A line as discs so close that they make one.
fn put_down(picture: &mut RgbImage, stroke: &Stroke, place: &dyn Fn((f64, f64)) -> (f64, f64), width: f64) {
    let points: Vec<(f64, f64)> = stroke.points.iter().map(|p| place(*p)).collect();
    if let [only] = points.as_slice() {
        disc(picture, *only, width / 2.0);
    }
    for pair in points.windows(2) {
        let ((x0, y0), (x1, y1)) = (pair[0], pair[1]);
        let steps = ((x1 - x0).hypot(y1 - y0) / 2.0).ceil().max(1.0);
        for k in 0..=steps as u32 {
            let share = f64::from(k) / steps;
            disc(picture, (x0 + (x1 - x0) * share, y0 + (y1 - y0) * share), width / 2.0);
        }
    }
}

fn disc(picture: &mut RgbImage, (x, y): (f64, f64), radius: f64) {
    let range = |at: f64, most: u32| (at - radius).max(0.0) as u32..((at + radius).ceil().max(0.0) as u32).min(most);
    for py in range(y, HEIGHT) {
        for px in range(x, WIDTH) {
            if (f64::from(px) + 0.5 - x).hypot(f64::from(py) + 0.5 - y) <= radius {
                picture.put_pixel(px, py, BODY);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_figure_is_a_picture_and_a_wider_one_covers_more() {
        let covered = |girth: f64| {
            let picture = image::load_from_memory(&figure(girth).unwrap()).unwrap().to_rgb8();
            assert_eq!(picture.dimensions(), (WIDTH, HEIGHT));
            picture.pixels().filter(|p| p.0[0] < 140).count()
        };
        assert!(covered(1.0) > 10_000 && covered(1.3) > covered(1.0));
    }
}
