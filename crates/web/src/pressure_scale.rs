//! The one colour scale of pressure.

/// Stops of the scale: pressure and colour (red, green, blue), linear between.
const STOPS: [(f64, [u8; 3]); 7] = [
    (0.40, [0x0e, 0x4f, 0x55]),
    (0.60, [0x3f, 0x8f, 0x8c]),
    (0.78, [0xa9, 0xcf, 0xc4]),
    (0.90, [0xf3, 0xec, 0xd9]),
    (0.98, [0xea, 0xb3, 0x6f]),
    (1.06, [0xcf, 0x6a, 0x2a]),
    (1.25, [0x7a, 0x12, 0x30]),
];

/// Colour of a pressure as `#rrggbb`; the ends go on beyond the scale.
pub(crate) fn colour(pressure: f64) -> String {
    let [red, green, blue] = mix(pressure);
    format!("#{red:02x}{green:02x}{blue:02x}")
}

fn mix(pressure: f64) -> [u8; 3] {
    let (first, last) = (STOPS[0], STOPS[STOPS.len() - 1]);
    if pressure <= first.0 {
        return first.1;
    }
    for pair in STOPS.windows(2) {
        let ((low, from), (high, to)) = (pair[0], pair[1]);
        if pressure <= high {
            let part = (pressure - low) / (high - low);
            let channel = |index: usize| {
                let (from, to) = (f64::from(from[index]), f64::from(to[index]));
                (from + part * (to - from)).round() as u8
            };
            return [channel(0), channel(1), channel(2)];
        }
    }
    last.1
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn stops_have_their_colours_and_the_rest_lies_between() {
        assert_eq!(colour(0.4), "#0e4f55");
        assert_eq!(colour(0.0), "#0e4f55");
        assert_eq!(colour(0.9), "#f3ecd9");
        assert_eq!(colour(1.02), "#dd8f4d");
        assert_eq!((colour(1.25), colour(f64::INFINITY)), ("#7a1230".into(), "#7a1230".into()));
    }
}
