//! QR codes (ISO/IEC 18004) of addresses, as drawings and as pictures to print.

use crate::error::WebError;
use qrcode::{Color, EcLevel, QrCode};

/// Modules of quiet around a code, as the standard asks for.
const QUIET: usize = 4;
/// Pixels of a module in a picture.
const MODULE: usize = 16;

fn code(text: &str) -> Result<QrCode, WebError> {
    // A quarter may be dirty or covered: it is printed, and read from a screen in the sun.
    QrCode::with_error_correction_level(text, EcLevel::Q).map_err(|error| WebError::Inside(error.to_string()))
}

/// A code as SVG, dark on white whatever is behind it.
///
/// # Errors
/// The text is longer than a code can hold.
pub fn svg(text: &str) -> Result<String, WebError> {
    let code = code(text)?;
    let side = code.width() + 2 * QUIET;
    let mut path = String::new();
    for (at, colour) in code.to_colors().into_iter().enumerate() {
        if colour == Color::Dark {
            let (x, y) = (at % code.width() + QUIET, at / code.width() + QUIET);
            path.push_str(&format!("M{x} {y}h1v1h-1z"));
        }
    }
    Ok(format!(
        r##"<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {side} {side}" role="img" aria-label="QR code" shape-rendering="crispEdges"><rect width="{side}" height="{side}" fill="#fff"/><path d="{path}"/></svg>"##
    ))
}

/// A code as PNG, 16 pixels a module.
///
/// # Errors
/// The text is longer than a code can hold.
pub fn png(text: &str) -> Result<Vec<u8>, WebError> {
    let code = code(text)?;
    let modules = code.width() + 2 * QUIET;
    let side = modules * MODULE;
    let dark = |x: usize, y: usize| {
        let inside = |at: usize| at.checked_sub(QUIET).filter(|at| *at < code.width());
        inside(x).zip(inside(y)).is_some_and(|at| code[at] == Color::Dark)
    };
    let row = |y: usize| (0..side).map(move |x| if dark(x / MODULE, y / MODULE) { 0 } else { 255 });
    let pixels: Vec<u8> = (0..side).flat_map(row).collect();
    let failed = |error: png::EncodingError| WebError::Inside(error.to_string());
    let mut file = Vec::new();
    let size = u32::try_from(side).map_err(|error| WebError::Inside(error.to_string()))?;
    let mut encoder = png::Encoder::new(&mut file, size, size);
    encoder.set_color(png::ColorType::Grayscale);
    encoder.set_depth(png::BitDepth::Eight);
    let mut writer = encoder.write_header().map_err(failed)?;
    writer.write_image_data(&pixels).map_err(failed)?;
    writer.finish().map_err(failed)?;
    Ok(file)
}
