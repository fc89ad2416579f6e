//! What is shown: the view, pictures, words and numbers.

pub mod numbers;
pub mod picture;
pub mod sentence;
pub mod svg;
pub mod view;
