//! Which members of a service point a contact was offered in this round.

/// A round of one contact.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct RoundId(std::num::NonZeroU32);

/// Rows of bits, one bit for each member, handed out and taken back: there are never more rows than
/// contacts that ring or wait after an offer.
#[derive(Clone, Debug)]
pub(crate) struct Rounds {
    words: usize,
    bits: Vec<u64>,
    free: Vec<RoundId>,
}

impl Rounds {
    /// Rows for members up to this number.
    pub fn of_members(most_members: usize) -> Self {
        Self { words: most_members.div_ceil(64).max(1), bits: Vec::new(), free: Vec::new() }
    }

    pub fn clear(&mut self) {
        self.bits.clear();
        self.free.clear();
    }

    /// An empty round.
    pub fn begin(&mut self) -> RoundId {
        if let Some(round) = self.free.pop() {
            let row = self.row(round);
            self.bits[row].fill(0);
            return round;
        }
        let row = (self.bits.len() / self.words) as u32;
        let round = RoundId(std::num::NonZeroU32::MIN.saturating_add(row));
        self.bits.resize(self.bits.len() + self.words, 0);
        round
    }

    /// The round is over.
    pub fn end(&mut self, round: RoundId) {
        self.free.push(round);
    }

    /// Notes that a member was tried.
    pub fn note(&mut self, round: RoundId, place: usize) {
        let row = self.row(round);
        self.bits[row][place / 64] |= 1 << (place % 64);
    }

    /// Whether a member was tried.
    pub fn has(&self, round: RoundId, place: usize) -> bool {
        self.bits[self.row(round)][place / 64] >> (place % 64) & 1 == 1
    }

    fn row(&self, round: RoundId) -> std::ops::Range<usize> {
        let first = (round.0.get() as usize - 1) * self.words;
        first..first + self.words
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rounds_are_used_again_and_begin_empty() {
        let mut rounds = Rounds::of_members(130);
        let (first, second) = (rounds.begin(), rounds.begin());
        rounds.note(first, 129);
        rounds.note(second, 3);
        assert!(rounds.has(first, 129) && !rounds.has(first, 3) && rounds.has(second, 3));
        rounds.end(first);
        let third = rounds.begin();
        assert_eq!(third, first);
        assert!(!rounds.has(third, 129) && rounds.has(second, 3));
        assert_eq!(rounds.bits.len(), 6);
    }
}
