//! The yardstick of the benchmarks: reads a file and sums its bytes.

fn main() -> std::io::Result<()> {
    let path = std::env::args().nth(1).unwrap_or_default();
    let sum: u64 = std::fs::read(path)?.iter().map(|&b| u64::from(b)).sum();
    println!("{sum}");
    Ok(())
}
