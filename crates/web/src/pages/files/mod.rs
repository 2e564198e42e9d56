//! What comes in and goes out as a file.

pub mod blobs;
pub mod intake;
pub mod outtake;
