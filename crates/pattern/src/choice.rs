//! Choices that are turned through, round and round.

/// The place after `at` among `of` places, or the one before; of none the first. The last is followed by the first.
pub const fn place_beside(at: usize, of: usize, forwards: bool) -> usize {
    match (of, forwards) {
        (0, _) => 0,
        (_, true) => (at + 1) % of,
        (_, false) => (at + of - 1) % of,
    }
}

/// The choice after `now` among `all`, or the one before. What is not among them counts as the first.
pub fn beside<T: Copy + PartialEq>(all: &[T], now: T, forwards: bool) -> T {
    let at = all.iter().position(|choice| *choice == now).unwrap_or(0);
    all.get(place_beside(at, all.len(), forwards)).copied().unwrap_or(now)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_ends_are_neighbours_and_where_there_is_no_choice_it_stays() {
        let all = ["a", "b", "c"];
        assert_eq!(all.map(|now| beside(&all, now, true)), ["b", "c", "a"]);
        assert_eq!(all.map(|now| beside(&all, now, false)), ["c", "a", "b"]);
        assert_eq!((beside(&all, "z", true), beside(&[], "a", false), place_beside(0, 0, true)), ("b", "a", 0));
    }
}
