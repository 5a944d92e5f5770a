//! Nothing of its own: `cargo bench -p nine-benches` runs `floors.rs`.
