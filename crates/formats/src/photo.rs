//! Photographs: whatever a camera or a telephone gives is opened and written anew, so that nothing but the picture is kept.
//! Place, time, camera and anything hidden in the file are gone.

use std::io::Cursor;

use image::{DynamicImage, ImageDecoder, ImageFormat, ImageReader, Limits, codecs::jpeg::JpegEncoder, imageops::FilterType};
use impulso_core::{Code, InputError};

/// The longest side that is kept, pixels: a client as large as a screen shows them.
pub const SIDE_MAX: u32 = 1600;
/// The shortest side worth keeping, pixels.
const SIDE_MIN: u32 = 100;
/// The longest side that is opened, pixels.
const OPENED_MAX: u32 = 12_000;
/// The most pixels that are opened: a telephone's largest photograph has fewer.
const PIXELS_MAX: u64 = 50_000_000;
/// The most memory that the opened picture may take, bytes.
const MEMORY_MAX: u64 = 200_000_000;
/// How fine the picture is written, of 100.
const QUALITY: u8 = 85;

/// A photograph as it is kept.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Photo {
    /// The file.
    pub jpeg: Vec<u8>,
    /// Pixels across.
    pub width: u32,
    /// Pixels down.
    pub height: u32,
}

/// Looks at a picture's head: whether it is one, and of a size that can be opened. No pixel is read.
///
/// # Errors
/// As [`write_anew`].
pub fn look(bytes: &[u8]) -> Result<(), InputError> {
    begun(bytes).map(|_| ())
}

fn refused(error: image::ImageError) -> InputError {
    match error {
        image::ImageError::Limits(_) => too_large(),
        _ => InputError::new(Code::BadValue, "photo", "This picture is broken and cannot be opened. Take it again or choose another."),
    }
}

fn too_large() -> InputError {
    let message =
        format!("This picture is larger than {OPENED_MAX} pixels a side or {} million in all. Make it smaller.", PIXELS_MAX / 1_000_000);
    InputError::new(Code::OutOfRange, "photo", message)
}

/// A picture of which the head is read.
fn begun(bytes: &[u8]) -> Result<impl ImageDecoder, InputError> {
    let no_picture = || InputError::new(Code::BadValue, "photo", reason(bytes));
    let format = image::guess_format(bytes).map_err(|_| no_picture())?;
    if !matches!(format, ImageFormat::Jpeg | ImageFormat::Png | ImageFormat::WebP) {
        return Err(no_picture());
    }
    let mut reader = ImageReader::with_format(Cursor::new(bytes), format);
    let mut limits = Limits::default();
    limits.max_image_width = Some(OPENED_MAX);
    limits.max_image_height = Some(OPENED_MAX);
    limits.max_alloc = Some(MEMORY_MAX);
    reader.limits(limits);
    let decoder = reader.into_decoder().map_err(refused)?;
    let (width, height) = decoder.dimensions();
    let pixels = u64::from(width) * u64::from(height);
    if width.max(height) > OPENED_MAX || pixels > PIXELS_MAX || decoder.total_bytes() > MEMORY_MAX {
        return Err(too_large());
    }
    Ok(decoder)
}

/// Opens a picture and writes it anew, upright, no side longer than [`SIDE_MAX`].
///
/// # Errors
/// [`Code::BadValue`] with what it is instead, [`Code::OutOfRange`] for one that is too small or too large.
pub fn write_anew(bytes: &[u8]) -> Result<Photo, InputError> {
    let mut decoder = begun(bytes)?;
    let upright = decoder.orientation().map_err(refused)?;
    let mut picture = DynamicImage::from_decoder(decoder).map_err(refused)?;
    picture.apply_orientation(upright);
    if picture.width().min(picture.height()) < SIDE_MIN {
        let message = format!("This picture is {} × {} pixels: too small to see anything on.", picture.width(), picture.height());
        return Err(InputError::new(Code::OutOfRange, "photo", message));
    }
    if picture.width().max(picture.height()) > SIDE_MAX {
        picture = picture.resize(SIDE_MAX, SIDE_MAX, FilterType::Triangle);
    }
    let plain = picture.into_rgb8();
    let mut jpeg = Vec::new();
    JpegEncoder::new_with_quality(&mut jpeg, QUALITY).encode_image(&plain).map_err(refused)?;
    Ok(Photo { width: plain.width(), height: plain.height(), jpeg })
}

/// Holds a picture that was kept before to what [`write_anew`] writes: a JPEG of that size with nothing in it but the picture.
///
/// # Errors
/// [`Code::BadValue`] with what is wrong.
pub fn check_kept(jpeg: &[u8]) -> Result<(u32, u32), InputError> {
    let bad = |why: &str| InputError::new(Code::BadValue, "photo", why);
    if image::guess_format(jpeg).ok() != Some(ImageFormat::Jpeg) {
        return Err(bad("this is no JPEG"));
    }
    let decoder = begun(jpeg)?;
    let (width, height) = decoder.dimensions();
    if width.max(height) > SIDE_MAX || width.min(height) == 0 {
        return Err(bad("this picture is larger than the pictures that are kept"));
    }
    if has_more_than_a_picture(jpeg) {
        return Err(bad("this picture has more in it than a picture: a place, a camera or a comment"));
    }
    DynamicImage::from_decoder(decoder).map_err(refused)?;
    Ok((width, height))
}

/// Whether a JPEG has parts that hold other things, or something behind its end.
fn has_more_than_a_picture(jpeg: &[u8]) -> bool {
    let mut at = 2;
    while let Some([0xff, kind, high, low]) = jpeg.get(at..at + 4) {
        match kind {
            // Metadata of its first kind says pixels an inch; the others, and comments, hold anything.
            0xe1..=0xef | 0xfe => return true,
            // The picture itself; it ends with the file.
            0xda => {
                return !jpeg.ends_with(&[0xff, 0xd9])
                    || jpeg[at..].windows(2).position(|w| w == [0xff, 0xd9]).is_some_and(|end| at + end + 2 < jpeg.len());
            }
            _ => at += 2 + usize::from(u16::from_be_bytes([*high, *low])),
        }
    }
    true
}

/// What a file is that is no photograph.
fn reason(bytes: &[u8]) -> String {
    let head = String::from_utf8_lossy(&bytes[..bytes.len().min(400)]).to_lowercase();
    let is = if head.starts_with("%pdf") {
        "This file is a PDF. Choose a picture."
    } else if head.contains("<svg") {
        "This is an SVG drawing."
    } else if bytes.is_empty() {
        "This file is empty."
    } else if head.get(4..12).is_some_and(|h| h.starts_with("ftyp")) {
        "This is a HEIC picture or a film, which cannot be opened here."
    } else {
        "This file is no picture."
    };
    format!("{is} Take a photograph, or choose a JPEG, PNG or WebP.")
}

#[cfg(test)]
mod tests {
    use super::*;

    fn picture(width: u32, height: u32, format: ImageFormat) -> Vec<u8> {
        let drawn = image::RgbImage::from_fn(width, height, |x, y| image::Rgb([(x % 256) as u8, (y % 256) as u8, 90]));
        let mut bytes = Cursor::new(Vec::new());
        DynamicImage::ImageRgb8(drawn).write_to(&mut bytes, format).unwrap();
        bytes.into_inner()
    }

    /// A JPEG whose EXIF part holds a place and says “turned by a quarter”.
    fn with_exif(jpeg: &[u8]) -> Vec<u8> {
        let mut exif = b"Exif\0\0MM\0*\0\0\0\x08\0\x01\x01\x12\0\x03\0\0\0\x01\0\x06\0\0\0\0\0\0".to_vec();
        exif.extend(b"GPS 54.3N 10.1E");
        let length = u16::try_from(exif.len() + 2).unwrap().to_be_bytes();
        [&jpeg[..2], &[0xff, 0xe1], &length, &exif, &jpeg[2..]].concat()
    }

    #[test]
    fn place_and_camera_are_gone_and_the_picture_stands_upright() {
        let taken = with_exif(&picture(640, 480, ImageFormat::Jpeg));
        assert!(taken.windows(3).any(|w| w == b"GPS"));
        let kept = write_anew(&taken).unwrap();
        assert!(!kept.jpeg.windows(3).any(|w| w == b"GPS") && !kept.jpeg.windows(4).any(|w| w == b"Exif"));
        assert_eq!((kept.width, kept.height), (480, 640), "turned upright");
        assert_eq!(image::guess_format(&kept.jpeg).unwrap(), ImageFormat::Jpeg);
    }

    #[test]
    fn what_was_kept_is_known_again_and_nothing_hides_in_it() {
        let kept = write_anew(&picture(640, 480, ImageFormat::Jpeg)).unwrap().jpeg;
        assert_eq!(check_kept(&kept).unwrap(), (640, 480));
        let why = |bytes: &[u8]| check_kept(bytes).unwrap_err().message;
        assert!(why(&with_exif(&kept)).contains("more in it"));
        assert!(why(&[&kept[..], b"GPS 54.3N"].concat()).contains("more in it"));
        assert!(why(&picture(640, 480, ImageFormat::Png)).contains("no JPEG"));
        assert!(check_kept(&kept[..kept.len() / 2]).is_err() && check_kept(b"").is_err());
    }

    #[test]
    fn a_large_one_is_made_smaller_and_every_usual_format_is_taken() {
        let kept = write_anew(&picture(4000, 1000, ImageFormat::Png)).unwrap();
        assert_eq!((kept.width, kept.height), (SIDE_MAX, 400));
        assert!(write_anew(&picture(300, 300, ImageFormat::WebP)).is_ok());
    }

    /// A PNG of one colour: its head says its size, and a few bytes hold it all.
    fn empty_png(width: u32, height: u32) -> Vec<u8> {
        let mut png = picture(8, 8, ImageFormat::Png);
        png[16..20].copy_from_slice(&width.to_be_bytes());
        png[20..24].copy_from_slice(&height.to_be_bytes());
        // The head's own checksum.
        let crc = !png[12..29].iter().fold(u32::MAX, |crc, byte| {
            (0..8).fold(crc ^ u32::from(*byte), |c, _| if c & 1 == 1 { (c >> 1) ^ 0xedb8_8320 } else { c >> 1 })
        });
        png[29..33].copy_from_slice(&crc.to_be_bytes());
        png
    }

    #[test]
    fn a_small_file_of_a_huge_picture_is_refused_by_its_head() {
        for (width, height) in [(12_000, 12_000), (9_000, 9_000), (60_000, 100)] {
            let bomb = empty_png(width, height);
            assert!(bomb.len() < 1_000);
            let error = look(&bomb).unwrap_err();
            assert!(error.code == Code::OutOfRange && error.message.contains("50 million"), "{width} x {height}: {error}");
            assert_eq!(write_anew(&bomb).unwrap_err().code, Code::OutOfRange);
        }
        assert!(look(&empty_png(6_000, 8_000)).is_ok(), "a telephone's photograph of 48 million pixels");
    }

    #[test]
    fn what_is_no_picture_is_refused_with_what_it_is() {
        let why = |bytes: &[u8]| write_anew(bytes).unwrap_err().message;
        assert!(why(b"%PDF-1.7 ...").starts_with("This file is a PDF"));
        assert!(why(b"<?xml version='1.0'?><svg xmlns='http://www.w3.org/2000/svg'/>").starts_with("This is an SVG"));
        assert!(why(b"").starts_with("This file is empty"));
        assert!(why(b"GIF89a").contains("no picture"));
        let cut = &picture(640, 480, ImageFormat::Jpeg)[..300];
        assert!(why(cut).contains("broken"));
        assert!(why(&picture(60, 60, ImageFormat::Png)).contains("too small"));
    }
}
