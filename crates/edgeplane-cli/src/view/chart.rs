//! Small charts made of characters.

const BARS: [char; 8] = ['▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'];

/// A row of bars for values from 0 to `most`; zero is a dot, and missing values are left blank.
pub(crate) fn bars(values: &[f64], most: f64) -> String {
    let bar = |value: &f64| {
        if value.is_nan() {
            return ' ';
        }
        if *value <= 0.0 || most <= 0.0 {
            return '·';
        }
        let height = (value / most * BARS.len() as f64).ceil() as usize;
        BARS[height.clamp(1, BARS.len()) - 1]
    };
    values.iter().map(bar).collect()
}

/// The axis below: its ends and its midpoint, with a given width.
pub(crate) fn axis(seconds: f64, width: usize) -> String {
    let end = format!("{seconds:.1} s");
    let middle = format!("{:.1} s", seconds / 2.0);
    let half = width / 2;
    let left = format!("0{:>1$}", middle, half.saturating_sub(1) + middle.len() / 2);
    let rest = width.saturating_sub(left.chars().count());
    format!("{left}{end:>rest$}")
}
