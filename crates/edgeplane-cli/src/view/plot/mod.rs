//! Pictures as SVG. Each has its own light background, so that it is readable on a dark page, and everything shown by
//! colour is also shown by numbers, marks or words.

mod bars;
mod curve;
mod grid;
mod histogram;
mod pools;

pub(crate) use bars::{damage, healing, sensitivity};
pub(crate) use curve::sweep_curve;
pub(crate) use grid::{matrix, sweep_grid};
pub(crate) use histogram::durations;
pub(crate) use pools::pools;

use std::fmt::Display;

use plotters::coord::Shift;
use plotters::prelude::*;

use super::xml;
use crate::command::Failure;

const PAPER: RGBColor = RGBColor(252, 251, 246);
const INK: RGBColor = RGBColor(38, 46, 52);
const FAINT: RGBColor = RGBColor(206, 208, 204);
const QUIET: RGBColor = RGBColor(96, 104, 110);
/// Colours that differ in brightness, too, and always have a label.
const COLOURS: [RGBColor; 6] = [
    RGBColor(20, 92, 102),
    RGBColor(186, 86, 40),
    RGBColor(118, 74, 124),
    RGBColor(104, 124, 46),
    RGBColor(52, 88, 158),
    RGBColor(166, 128, 36),
];

const FONT: &str = "sans-serif";

type Area<'a> = DrawingArea<SVGBackend<'a>, Shift>;

fn colour(index: usize) -> RGBColor {
    COLOURS[index % COLOURS.len()]
}

fn font(size: u32) -> TextStyle<'static> {
    (FONT, size).into_font().color(&INK)
}

fn quiet(size: u32) -> TextStyle<'static> {
    (FONT, size).into_font().color(&QUIET)
}

/// The label of a tick without insignificant digits.
fn plain(value: f64) -> String {
    let text = format!("{value:.4}");
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}

/// A picture with a heading and a subtitle; `draw` gets the area below them.
fn picture(
    size: (u32, u32),
    heading: &str,
    below: &str,
    draw: impl FnOnce(&Area<'_>) -> Result<(), Failure>,
) -> Result<String, Failure> {
    let mut svg = String::new();
    {
        let root = SVGBackend::with_string(&mut svg, size).into_drawing_area();
        root.fill(&PAPER).map_err(|error| broken(&error))?;
        put(&root, heading, (20, 12), font(18))?;
        put(&root, below, (20, 36), quiet(13))?;
        let (_, rest) = root.split_vertically(58);
        draw(&rest)?;
        root.present().map_err(|error| broken(&error))?;
    }
    // A picture scales with the page; its own size only determines its shape.
    Ok(xml::allowed(&svg).replacen("<svg ", &format!("<svg role=\"img\" aria-label=\"{}\" ", xml::escaped(heading)), 1))
}

fn broken(error: &dyn Display) -> Failure {
    Failure::Message(format!("the picture cannot be drawn: {error}"))
}

fn put(area: &Area<'_>, text: &str, at: (i32, i32), style: TextStyle<'_>) -> Result<(), Failure> {
    area.draw(&Text::new(text.to_owned(), at, style)).map_err(|error| broken(&error))
}

fn fill(area: &Area<'_>, from: (i32, i32), to: (i32, i32), style: impl Into<ShapeStyle>) -> Result<(), Failure> {
    area.draw(&Rectangle::new([from, to], style.into())).map_err(|error| broken(&error))
}

fn line(area: &Area<'_>, from: (i32, i32), to: (i32, i32), style: impl Into<ShapeStyle>) -> Result<(), Failure> {
    area.draw(&PathElement::new(vec![from, to], style.into())).map_err(|error| broken(&error))
}

/// Text that ends, begins or is centred at a point, vertically centred.
fn placed(style: TextStyle<'_>, side: plotters::style::text_anchor::HPos) -> TextStyle<'_> {
    use plotters::style::text_anchor::{Pos, VPos};
    style.pos(Pos::new(side, VPos::Center))
}

/// The text, shortened to fit a width in pixels.
fn fitting(text: &str, width: i32) -> String {
    let most = (width / 7).max(4) as usize;
    if text.chars().count() <= most {
        return text.to_owned();
    }
    text.chars().take(most - 1).chain(['…']).collect()
}
