//! Text: files, spans, diagnostics, and the TOML tree.
//!
//! The lowest layer. All layers above refer to the designer's files through [`Span`]s into [`Sources`], and report
//! errors as [`Diagnostic`]s.

mod cells;
mod data;
pub mod diagnostic;
pub mod document;
#[cfg(feature = "files")]
pub mod folder;
mod literal;
pub mod overrides;
mod renamed;
mod sheets;
pub mod source;

#[cfg(feature = "files")]
pub(crate) use cells::sheet_cells;
pub use data::Data;
pub use diagnostic::{Code, Diagnostic, Diagnostics, Label, Severity};
pub use document::{Document, Entry, Node, Table, Value};
pub use literal::TextMap;
pub use overrides::Override;
pub(crate) use sheets::SHEETS_OF;
pub use source::{FileId, Place, SourceFile, Sources, Span};
