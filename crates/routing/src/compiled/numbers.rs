//! Patterns of telephone numbers.

/// Whether a number matches a pattern in which `*` stands for any characters and `?` for one.
///
/// Takes time in proportion to pattern × number at worst: after a mismatch only the last `*` is
/// tried again with one character more, because an earlier one could not help.
pub fn number_matches(pattern: &str, number: &str) -> bool {
    let (pattern, number) = (pattern.as_bytes(), number.as_bytes());
    let (mut p, mut n) = (0, 0);
    // Where the last star stands, and up to where it has swallowed the number.
    let mut star: Option<(usize, usize)> = None;
    while n < number.len() {
        match pattern.get(p) {
            Some(b'*') => {
                star = Some((p, n));
                p += 1;
            }
            Some(&wanted) if wanted == b'?' || wanted == number[n] => {
                p += 1;
                n += 1;
            }
            _ => match &mut star {
                Some((at, swallowed)) => {
                    *swallowed += 1;
                    (p, n) = (*at + 1, *swallowed);
                }
                None => return false,
            },
        }
    }
    pattern[p..].iter().all(|&rest| rest == b'*')
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// The slow, obvious version.
    fn obviously(pattern: &[u8], number: &[u8]) -> bool {
        match (pattern.split_first(), number.split_first()) {
            (None, None) => true,
            (Some((b'*', rest)), _) => {
                (0..=number.len()).any(|skipped| obviously(rest, &number[skipped..]))
            }
            (Some((b'?', rest)), Some((_, left))) => obviously(rest, left),
            (Some((wanted, rest)), Some((got, left))) if wanted == got => obviously(rest, left),
            _ => false,
        }
    }

    #[test]
    fn a_pattern_matches_numbers_as_people_write_them() {
        let cases = [
            ("+44*", "+441234", true),
            ("+44*", "+4", false),
            ("*99", "0199", true),
            ("01?3", "0123", true),
            ("01?3", "013", false),
            ("*", "", true),
            ("", "", true),
            ("", "1", false),
        ];
        for (pattern, number, wanted) in cases {
            assert_eq!(number_matches(pattern, number), wanted, "{pattern} {number}");
        }
    }

    #[test]
    fn a_pattern_of_many_stars_ends_at_once() {
        // Backtracking over every star would take longer than the age of the universe.
        let (pattern, number) = ("*1".repeat(40) + "2", "1".repeat(4_000));
        assert!(!number_matches(&pattern, &number));
    }

    proptest! {
        #[test]
        fn the_linear_match_agrees_with_the_obvious_one(
            pattern in "[01*?]{0,8}", number in "[01]{0,10}",
        ) {
            let wanted = obviously(pattern.as_bytes(), number.as_bytes());
            prop_assert_eq!(number_matches(&pattern, &number), wanted);
        }
    }
}
