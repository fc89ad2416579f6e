//! Gauss–Legendre quadrature with ten points (nodes: M. Abramowitz and I. Stegun, Handbook of Mathematical Functions,
//! table 25.4).

/// Positive nodes and weights of Gauss–Legendre quadrature with ten points on `-1..=1`.
const GAUSS: [(f64, f64); 5] = [
    (0.148_874_338_981_631_2, 0.295_524_224_714_752_87),
    (0.433_395_394_129_247_2, 0.269_266_719_309_996_35),
    (0.679_409_568_299_024_4, 0.219_086_362_515_982_04),
    (0.865_063_366_688_984_5, 0.149_451_349_150_580_6),
    (0.973_906_528_517_171_7, 0.066_671_344_308_688_14),
];

/// Nodes and weights on `a..=b`.
pub(crate) fn gauss(a: f64, b: f64) -> impl Iterator<Item = (f64, f64)> {
    let (mid, half) = (0.5 * (a + b), 0.5 * (b - a));
    GAUSS.into_iter().flat_map(move |(x, w)| [(mid - half * x, w * half), (mid + half * x, w * half)])
}
