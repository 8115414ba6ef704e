//! stub
pub mod diff;
pub mod merge;
pub mod text;
