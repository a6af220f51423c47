//! Pictures as PNG, for programs that cannot show SVG.

use std::sync::Arc;

use resvg::tiny_skia::{Pixmap, Transform};
use resvg::usvg::{Options, Tree};

use crate::command::Failure;

/// Pixels per unit of the picture, for sharp images on high-resolution screens.
const SCALE: f32 = 2.0;

/// Renders a picture with a typeface embedded in the tool, so that it looks the same everywhere.
pub(crate) fn png(svg: &str) -> Result<Vec<u8>, Failure> {
    let broken = |what: &dyn std::fmt::Display| Failure::Message(format!("the picture cannot be drawn: {what}"));
    let mut options = Options::default();
    let fonts = Arc::make_mut(&mut options.fontdb);
    fonts.load_font_data(dejavu::sans::regular().to_vec());
    fonts.set_sans_serif_family("DejaVu Sans");
    let tree = Tree::from_str(svg, &options).map_err(|error| broken(&error))?;
    let size = tree.size().to_int_size().scale_by(SCALE).ok_or_else(|| broken(&"it has no size"))?;
    let mut pixels = Pixmap::new(size.width(), size.height()).ok_or_else(|| broken(&"it is too large"))?;
    resvg::render(&tree, Transform::from_scale(SCALE, SCALE), &mut pixels.as_mut());
    pixels.encode_png().map_err(|error| broken(&error))
}
