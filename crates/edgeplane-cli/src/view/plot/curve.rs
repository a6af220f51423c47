//! A sweep along one number: the estimates with a band for their intervals.

use edgeplane::study::Sweep;
use plotters::prelude::*;

use super::{FAINT, FONT, INK, QUIET, broken, colour, picture, plain, quiet};
use crate::command::Failure;
use crate::view::{figures, text};

/// One measure along the sweep.
pub(crate) fn sweep_curve(sweep: &Sweep, measure: usize) -> Result<String, Failure> {
    let number = &sweep.varied[0];
    let points: Vec<[f64; 4]> = sweep
        .points
        .iter()
        .filter_map(|point| {
            let figure = &point.figures[measure];
            Some([point.at[0], figure.low?, figure.value?, figure.high?])
        })
        .collect();
    let unit = sweep.points[0].figures[measure].unit;
    let fold =
        |place: usize, from: fn(f64, f64) -> f64, start: f64| points.iter().map(|point| point[place]).fold(start, from);
    let (left, right) = (fold(0, f64::min, f64::INFINITY), fold(0, f64::max, f64::NEG_INFINITY));
    let (low, high) = (fold(1, f64::min, f64::INFINITY), fold(3, f64::max, f64::NEG_INFINITY));
    if points.is_empty() || left >= right {
        return Err(Failure::Message("there are too few values for a curve".to_owned()));
    }
    let margin = ((high - low) * 0.06).max(1e-9);
    let now = if number.scales { Some(1.0) } else { number.now.parse::<f64>().ok() };
    // The axis includes the current value, unless the points would then be hard to distinguish.
    let near = |now: &f64| (left - 2.0 * (right - left)..=right + 2.0 * (right - left)).contains(now);
    let (from, to) = now.filter(near).map_or((left, right), |now| (left.min(now), right.max(now)));
    let below = format!(
        "{}, {} fights a point, 95 % band{}",
        sweep.encounter,
        text::grouped(sweep.trials),
        match now {
            Some(now) if near(&now) => format!("; the vertical line is the current value, {now}"),
            Some(now) => format!("; the current value, {now}, is far outside"),
            None => String::new(),
        }
    );
    picture((1000, 560), &format!("{} by {}", sweep.measures[measure], number.path), &below, |area| {
        let mut chart = ChartBuilder::on(area)
            .margin(16)
            .margin_right(44)
            .x_label_area_size(46)
            .y_label_area_size(84)
            .build_cartesian_2d(from..to, (low - margin)..(high + margin))
            .map_err(|error| broken(&error))?;
        let reach = (high - low) / 20.0;
        chart
            .configure_mesh()
            .light_line_style(TRANSPARENT)
            .bold_line_style(FAINT)
            .axis_style(QUIET)
            .label_style((FONT, 13).into_font().color(&INK))
            .x_desc(if number.scales { format!("factor of {}", number.path) } else { number.path.clone() })
            .axis_desc_style(quiet(13))
            .x_label_formatter(&|value| plain(*value))
            .y_label_formatter(&|value| figures::value(unit, Some(*value), reach))
            .draw()
            .map_err(|error| broken(&error))?;
        let band: Vec<(f64, f64)> = points
            .iter()
            .map(|point| (point[0], point[3]))
            .chain(points.iter().rev().map(|point| (point[0], point[1])))
            .collect();
        chart.draw_series([Polygon::new(band, colour(0).mix(0.2))]).map_err(|error| broken(&error))?;
        let line = LineSeries::new(points.iter().map(|point| (point[0], point[2])), colour(0).stroke_width(2));
        chart.draw_series(line).map_err(|error| broken(&error))?;
        let dots = points.iter().map(|point| Circle::new((point[0], point[2]), 4, colour(0).filled()));
        chart.draw_series(dots).map_err(|error| broken(&error))?;
        if let Some(now) = now.filter(near) {
            let upright = PathElement::new(vec![(now, low - margin), (now, high + margin)], colour(1).stroke_width(1));
            chart.draw_series([upright]).map_err(|error| broken(&error))?;
        }
        Ok(())
    })
}
