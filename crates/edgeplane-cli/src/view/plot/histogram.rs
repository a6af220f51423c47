//! The durations of fights.

use edgeplane::Trials;
use plotters::prelude::*;

use super::{FAINT, FONT, INK, QUIET, broken, colour, picture, plain, quiet};
use crate::command::Failure;
use crate::view::text;

/// The distribution of the duration, with its median and the middle 90 %.
pub(crate) fn durations(trials: &Trials) -> Result<String, Failure> {
    let bins = &trials.duration_bins;
    let (Some(first), Some(last)) = (bins.first(), bins.last()) else {
        return Err(Failure::Message("no fight has a duration".to_owned()));
    };
    let share = |count: u64| count as f64 / trials.trials as f64 * 100.0;
    let most = bins.iter().map(|bin| share(bin.count)).fold(0.0, f64::max) * 1.12;
    let at = |wanted: f64| {
        trials.duration_quantiles.iter().find(|quantile| quantile.at == wanted).map_or(0.0, |one| one.value)
    };
    let below = format!(
        "{}, {} fights: half are shorter than {:.1} s (vertical line), nine in ten last {:.1} to {:.1} s",
        trials.encounter,
        text::grouped(trials.trials),
        at(0.5),
        at(0.05),
        at(0.95)
    );
    // A few distinct values are drawn individually, as lines.
    let is_few = bins.iter().all(|bin| bin.from == bin.to);
    let edge = if is_few { ((last.to - first.from) * 0.05).max(0.05 * first.from.max(1.0)) } else { 0.0 };
    picture((1000, 380), "How long a fight lasts", &below, |area| {
        let mut chart = ChartBuilder::on(area)
            .margin(16)
            .margin_right(44)
            .x_label_area_size(42)
            .y_label_area_size(70)
            .build_cartesian_2d((first.from - edge).max(0.0)..last.to + edge, 0.0..most)
            .map_err(|error| broken(&error))?;
        chart
            .configure_mesh()
            .disable_x_mesh()
            .light_line_style(TRANSPARENT)
            .bold_line_style(FAINT)
            .axis_style(QUIET)
            .label_style((FONT, 13).into_font().color(&INK))
            .x_desc("seconds")
            .y_desc("share of fights")
            .axis_desc_style(quiet(13))
            .x_label_formatter(&|value| plain(*value))
            .y_label_formatter(&|value| format!("{value:.0} %"))
            .draw()
            .map_err(|error| broken(&error))?;
        let bars = bins.iter().map(|bin| {
            let inset = (bin.to - bin.from) * 0.06;
            Rectangle::new([(bin.from + inset, 0.0), (bin.to - inset, share(bin.count))], colour(0).mix(0.85).filled())
        });
        let lines = bins.iter().map(|bin| {
            PathElement::new(vec![(bin.from, 0.0), (bin.from, share(bin.count))], colour(0).stroke_width(9))
        });
        if is_few { chart.draw_series(lines).map(drop) } else { chart.draw_series(bars).map(drop) }
            .map_err(|error| broken(&error))?;
        let median = PathElement::new(vec![(at(0.5), 0.0), (at(0.5), most)], colour(1).stroke_width(2));
        chart.draw_series([median]).map_err(|error| broken(&error))?;
        Ok(())
    })
}
