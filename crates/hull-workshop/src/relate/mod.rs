//! What is made of several bodies, or of one beside others.

pub mod best_fit;
pub mod combine;
pub mod regions;
pub mod robot;
pub mod robot_glb;
pub mod robot_in;
pub mod scene;
pub mod sections;
