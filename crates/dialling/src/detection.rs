//! Answering-machine detection: what it gets wrong, and how long it takes.

/// Detection at one sensitivity, as signal detection theory has it (Green and Swets 1966): what is heard is
/// a number, normally distributed around 0 for people and around a larger mean for machines, the larger the
/// longer it listens; above a criterion it is taken for a machine.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Detection {
    /// Seconds from the answer until it has decided.
    pub decide_secs: f64,
    /// Share of people who are taken for machines.
    pub people_taken_for_machines: f64,
    /// Share of machines that are taken for people.
    pub machines_taken_for_people: f64,
}

impl Detection {
    /// Detection that tries this hard, 0 to 1.
    ///
    /// From the least to the most it listens 0.7 to 1.7 s, which sets machines 2.2 to 2.9 deviations apart
    /// from people, and its criterion goes from 2.6 down to 1.2. The numbers are the stand-in's: a real
    /// detector is measured on recorded answers.
    pub fn of(sensitivity: f64) -> Self {
        let sensitivity = sensitivity.clamp(0.0, 1.0);
        let criterion = 2.6 - 1.4 * sensitivity;
        let apart = 2.2 + 0.7 * sensitivity;
        Self {
            decide_secs: 0.7 + sensitivity,
            people_taken_for_machines: normal_below(-criterion),
            machines_taken_for_people: normal_below(criterion - apart),
        }
    }
}

/// The share of a standard normal below a point.
pub(crate) fn normal_below(point: f64) -> f64 {
    0.5 * libm::erfc(-point * std::f64::consts::FRAC_1_SQRT_2)
}

/// Steps in which Newton's method comes near enough from anywhere between the shares that are asked for.
const MOST_STEPS: u32 = 40;

/// The point that a standard normal is below with this share, between 0.001 and 0.999; by Newton's method from a point near it.
pub(crate) fn normal_point(share: f64, near: f64) -> f64 {
    let mut point = near;
    for _ in 0..MOST_STEPS {
        let density = libm::exp(-0.5 * point * point) / std::f64::consts::TAU.sqrt();
        // Far out the density is small and a whole step would go too far.
        let step = ((share - normal_below(point)) / density).clamp(-1.0, 1.0);
        point += step;
        if step.abs() < 1e-12 {
            break;
        }
    }
    point
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn points_of_a_standard_normal_are_those_of_the_tables() {
        for (share, point) in [
            (0.5, 0.0),
            (0.975, 1.959_963_984_540),
            (0.9, 1.281_551_565_545),
            (0.002, -2.878_161_739_095),
        ] {
            for near in [-3.0, 0.0, 1.0, point] {
                let found = normal_point(share, near);
                assert!((found - point).abs() < 1e-10, "{share} from {near}: {found}");
                assert!((normal_below(found) - share).abs() < 1e-14);
            }
        }
    }
}
