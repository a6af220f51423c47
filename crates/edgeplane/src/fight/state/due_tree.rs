//! What of many is due first: a tree in which every node holds the least of the four below it, so that a leaf is set in as
//! many steps as the tree has levels, and each step looks at four values side by side.

/// Nodes below one node.
const WIDTH: usize = 4;

/// The least of as many values as there are leaves.
#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub(super) struct DueTree<T> {
    /// Fours of nodes from the root's on; those below node `n` of four `g` are four `4 g + n + 1`.
    fours: Vec<[T; WIDTH]>,
    least: T,
}

impl<T: Copy + Ord> DueTree<T> {
    /// A tree with at least so many leaves, all of which are `nothing`: greater than whatever is set.
    pub(super) fn new(leaves: usize, nothing: T) -> Self {
        let (mut above, mut last) = (0, 1);
        while last * WIDTH < leaves {
            above += last;
            last *= WIDTH;
        }
        Self { fours: vec![[nothing; WIDTH]; above + last], least: nothing }
    }

    /// How many fours are above the leaves: each has four below it, and one has none above.
    #[inline]
    fn above(&self) -> usize {
        (self.fours.len() - 1) / WIDTH
    }

    /// How many leaves there are.
    pub(super) fn room(&self) -> usize {
        (self.fours.len() - self.above()) * WIDTH
    }

    pub(super) fn copy_from(&mut self, other: &Self) {
        self.fours.clone_from(&other.fours);
        self.least = other.least;
    }

    pub(super) fn bytes(&self) -> usize {
        size_of_val(self.fours.as_slice())
    }

    /// All leaves are `nothing`.
    pub(super) fn clear(&mut self, nothing: T) {
        self.fours.fill([nothing; WIDTH]);
        self.least = nothing;
    }

    #[inline]
    pub(super) fn get(&self, leaf: usize) -> T {
        self.fours[self.above() + leaf / WIDTH][leaf % WIDTH]
    }

    #[inline]
    pub(super) fn set(&mut self, leaf: usize, value: T) {
        let (mut four, mut node, mut value) = (self.above() + leaf / WIDTH, leaf % WIDTH, value);
        loop {
            let nodes = &mut self.fours[four];
            if nodes[node] == value {
                return;
            }
            nodes[node] = value;
            let [a, b, c, d] = *nodes;
            value = a.min(b).min(c.min(d));
            if four == 0 {
                self.least = value;
                return;
            }
            (four, node) = ((four - 1) / WIDTH, (four - 1) % WIDTH);
        }
    }

    /// The least of all leaves.
    #[inline]
    pub(super) fn least(&self) -> T {
        self.least
    }
}
