//! How answers look.

pub(crate) mod ability;
pub(crate) mod chart;
pub(crate) mod diagnostics;
pub(crate) mod differences;
pub(crate) mod events;
pub(crate) mod figures;
pub(crate) mod gauntlet;
pub(crate) mod matrix;
pub(crate) mod moved;
pub(crate) mod page;
pub(crate) mod plot;
pub(crate) mod progress;
pub(crate) mod raster;
pub(crate) mod recorder;
pub(crate) mod schema;
pub(crate) mod sensitivity;
pub(crate) mod sheet;
pub(crate) mod status;
pub(crate) mod sweep;
pub(crate) mod table;
pub(crate) mod text;
pub(crate) mod timeline;
mod timeline_statuses;
pub(crate) mod trials;
pub(crate) mod tuning;
pub(crate) mod verdicts;
pub(crate) mod xml;
