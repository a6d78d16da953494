//! Shares of a whole in percent.

/// The shares of some votes in whole percent, which sum to exactly 100 (largest remainder; of equal remainders the
/// earlier one's first). Without any vote all are 0.
///
/// ```
/// use tally_core::widgets::poll::percentages;
/// assert_eq!(percentages(&[1, 1, 1]), [34, 33, 33]);
/// assert_eq!(percentages(&[0, 0]), [0, 0]);
/// ```
#[must_use]
pub fn percentages(votes: &[u64]) -> Vec<u8> {
    let total: u128 = votes.iter().copied().map(u128::from).sum();
    if total == 0 {
        return vec![0; votes.len()];
    }
    let hundredfold = |votes: u64| u128::from(votes).saturating_mul(100);
    let whole = |votes: u64| hundredfold(votes).checked_div(total).unwrap_or(0);
    let rest = |votes: u64| hundredfold(votes).checked_rem(total).unwrap_or(0);
    let mut shares: Vec<u8> = votes.iter().map(|votes| u8::try_from(whole(*votes)).unwrap_or(100)).collect();
    let given: usize = shares.iter().map(|share| usize::from(*share)).sum();
    let mut order: Vec<usize> = (0..votes.len()).collect();
    order.sort_by_key(|index| std::cmp::Reverse(votes.get(*index).map_or(0, |votes| rest(*votes))));
    for index in order.into_iter().take(100_usize.saturating_sub(given)) {
        if let Some(share) = shares.get_mut(index) {
            *share = share.saturating_add(1);
        }
    }
    shares
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn percentages_sum_to_a_hundred_and_stay_within_one_of_the_truth(votes in prop::collection::vec(0_u64..1_000_000, 2..9)) {
            let shares = percentages(&votes);
            let total: u64 = votes.iter().sum();
            let sum: u32 = shares.iter().map(|share| u32::from(*share)).sum();
            prop_assert_eq!(sum, if total == 0 { 0 } else { 100 });
            for (share, votes) in shares.iter().zip(&votes) {
                let exact = if total == 0 { 0.0 } else { *votes as f64 * 100.0 / total as f64 };
                prop_assert!((f64::from(*share) - exact).abs() < 1.0);
            }
        }

        #[test]
        fn more_votes_never_show_less(votes in prop::collection::vec(0_u64..u64::MAX, 2..9)) {
            let shares = percentages(&votes);
            for (one, share) in votes.iter().zip(&shares) {
                for (other, theirs) in votes.iter().zip(&shares) {
                    prop_assert!(one < other || share >= theirs || one == other);
                }
            }
        }
    }
}
