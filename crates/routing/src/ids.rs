//! Numbers of things, each of a type of its own, and tables that only the right number opens.

use std::marker::PhantomData;
use std::num::{NonZeroU16, NonZeroU32};
use std::ops::{Index, IndexMut};

use serde::{Deserialize, Serialize};

/// A number of something that stands in a [`Table`].
pub trait Id: Copy {
    /// The number of the thing at this place, counted from 0.
    fn at(place: usize) -> Self;
    /// Its place in the table, counted from 0.
    fn place(self) -> usize;
}

/// Numbers are kept as one more than the place, so that "none" needs no room of its own.
macro_rules! id {
    ($(#[$doc:meta])* $name:ident, $inner:ty, $bits:ty) => {
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
        pub struct $name($inner);

        impl Id for $name {
            #[inline]
            fn at(place: usize) -> Self {
                // A table that outgrows its numbers would name the wrong thing: stop instead.
                let number = <$bits>::try_from(place + 1).ok().and_then(<$inner>::new);
                Self(number.expect("a table is checked against its numbers before it grows"))
            }
            #[inline]
            fn place(self) -> usize {
                self.0.get() as usize - 1
            }
        }
    };
}

id!(
    /// A contact that is under way. The number of one that has ended is given to a later one.
    ContactId, NonZeroU32, u32
);
id!(
    /// An agent.
    AgentId, NonZeroU32, u32
);
id!(
    /// A team.
    TeamId, NonZeroU16, u16
);
id!(
    /// Agents who are alike in everything that decides which contacts they are offered.
    ClassId, NonZeroU16, u16
);
id!(
    /// A queue or a hunt group.
    ServicePointId, NonZeroU16, u16
);
id!(
    /// A step of the strategy.
    StepId, NonZeroU16, u16
);
id!(
    /// A callback step.
    CallbackId, NonZeroU16, u16
);
id!(
    /// A campaign.
    CampaignId, NonZeroU16, u16
);
id!(
    /// A contact type.
    ContactTypeId, NonZeroU16, u16
);
id!(
    /// What the strategy can tell about a caller: which of its rules the caller meets.
    ProfileId, NonZeroU32, u32
);
id!(
    /// A transition from step to step or to an end.
    FlowId, NonZeroU32, u32
);

/// A list whose places have numbers of one type.
#[derive(Clone, Debug)]
pub struct Table<I, T> {
    rows: Vec<T>,
    numbered_by: PhantomData<fn(I)>,
}

impl<I: Id, T> Table<I, T> {
    /// Adds a row and gives its number.
    pub fn push(&mut self, row: T) -> I {
        self.rows.push(row);
        I::at(self.rows.len() - 1)
    }

    /// How many rows there are.
    pub fn len(&self) -> usize {
        self.rows.len()
    }

    /// Whether there is no row.
    pub fn is_empty(&self) -> bool {
        self.rows.is_empty()
    }

    /// The numbers of all rows, in order.
    pub fn ids(&self) -> impl DoubleEndedIterator<Item = I> + use<I, T> {
        (0..self.rows.len()).map(I::at)
    }

    /// All rows, in order.
    pub fn iter(&self) -> std::slice::Iter<'_, T> {
        self.rows.iter()
    }

    /// All rows, in order, to be changed.
    pub fn iter_mut(&mut self) -> std::slice::IterMut<'_, T> {
        self.rows.iter_mut()
    }

    /// All rows with their numbers, in order.
    pub fn numbered(&self) -> impl Iterator<Item = (I, &T)> {
        self.rows.iter().enumerate().map(|(place, row)| (I::at(place), row))
    }

    /// Forgets all rows and keeps their room.
    pub fn clear(&mut self) {
        self.rows.clear();
    }

    /// Makes every row the same.
    pub fn fill(&mut self, row: T)
    where
        T: Clone,
    {
        self.rows.fill(row);
    }
}

impl<I, T> Default for Table<I, T> {
    fn default() -> Self {
        Self { rows: Vec::new(), numbered_by: PhantomData }
    }
}

impl<I, T> From<Vec<T>> for Table<I, T> {
    fn from(rows: Vec<T>) -> Self {
        Self { rows, numbered_by: PhantomData }
    }
}

impl<I, T> FromIterator<T> for Table<I, T> {
    fn from_iter<R: IntoIterator<Item = T>>(rows: R) -> Self {
        Vec::from_iter(rows).into()
    }
}

impl<I: Id, T> Index<I> for Table<I, T> {
    type Output = T;
    #[inline]
    fn index(&self, id: I) -> &T {
        &self.rows[id.place()]
    }
}

impl<I: Id, T> IndexMut<I> for Table<I, T> {
    #[inline]
    fn index_mut(&mut self, id: I) -> &mut T {
        &mut self.rows[id.place()]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_table_gives_each_row_its_number_and_none_takes_no_room() {
        let mut table: Table<AgentId, char> = Table::default();
        let (first, second) = (table.push('a'), table.push('b'));
        assert_eq!((table[first], table[second]), ('a', 'b'));
        assert_eq!(table.ids().collect::<Vec<_>>(), [first, second]);
        assert_eq!(size_of::<Option<ContactId>>(), 4);
        assert_eq!(size_of::<Option<StepId>>(), 2);
    }
}
