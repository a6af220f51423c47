//! Systems of linear equations with a symmetric, positive definite matrix.

/// The lower triangle L of a matrix L·Lᵀ (Cholesky), row by row.
#[derive(Debug)]
pub(super) struct Lower {
    rows: Vec<Vec<f64>>,
}

impl Lower {
    /// From the lower triangle of a matrix; `None` if it is not positive definite.
    pub(super) fn of(mut rows: Vec<Vec<f64>>) -> Option<Self> {
        for index in 0..rows.len() {
            let (above, rest) = rows.split_at_mut(index);
            let row = &mut rest[0];
            for (column, other) in above.iter().enumerate() {
                let sum = inner_product(&row[..column], other);
                row[column] = (row[column] - sum) / other[column];
            }
            let sum = inner_product(&row[..index], &row[..index]);
            let square = row[index] - sum;
            if square <= 0.0 {
                return None;
            }
            row[index] = square.sqrt();
        }
        Some(Self { rows })
    }

    /// The diagonal.
    pub(super) fn diagonal(&self) -> impl Iterator<Item = f64> + '_ {
        self.rows.iter().enumerate().map(|(index, row)| row[index])
    }

    /// The diagonal of the inverse of L·Lᵀ.
    pub(super) fn diagonal_of_inverse(&self) -> Vec<f64> {
        let count = self.rows.len();
        let column = |index: usize| {
            // Column `index` of the inverse of L, which is 0 above the diagonal.
            let mut found: Vec<f64> = Vec::with_capacity(count - index);
            for (number, row) in self.rows.iter().enumerate().skip(index) {
                let right = if number == index { 1.0 } else { 0.0 };
                found.push((right - inner_product(&row[index..], &found)) / row[number]);
            }
            inner_product(&found, &found)
        };
        (0..count).map(column).collect()
    }

    /// x with L·x = right.
    pub(super) fn forward(&self, right: &[f64]) -> Vec<f64> {
        let mut found: Vec<f64> = Vec::with_capacity(right.len());
        for (row, right) in self.rows.iter().zip(right) {
            let sum = inner_product(row, &found);
            found.push((right - sum) / row[found.len()]);
        }
        found
    }

    /// x with L·Lᵀ·x = right.
    pub(super) fn solve(&self, right: &[f64]) -> Vec<f64> {
        let mut found = self.forward(right);
        for index in (0..found.len()).rev() {
            found[index] /= self.rows[index][index];
            let (before, at) = found.split_at_mut(index);
            before.iter_mut().zip(&self.rows[index]).for_each(|(one, factor)| *one -= factor * at[0]);
        }
        found
    }
}

/// The inner product of two lists, up to the shorter one: in four partial sums, so that the additions do not wait for
/// each other.
pub(super) fn inner_product(a: &[f64], b: &[f64]) -> f64 {
    let length = a.len().min(b.len());
    let ((a, rest_a), (b, rest_b)) = (a[..length].as_chunks::<4>(), b[..length].as_chunks::<4>());
    let mut sums = [0.0; 4];
    for (a, b) in a.iter().zip(b) {
        (0..4).for_each(|lane| sums[lane] += a[lane] * b[lane]);
    }
    let rest: f64 = rest_a.iter().zip(rest_b).map(|(a, b)| a * b).sum();
    (sums[0] + sums[1]) + (sums[2] + sums[3]) + rest
}
