//! What of many is due first: a tree in which every node holds the least of the four below it, so that a leaf is set in as
//! many steps as the tree has levels, and each step looks at four values side by side.

/// Nodes below one node.
const WIDTH: usize = 4;

/// The least of as many values as there are leaves.
#[derive(Clone, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(super) struct DueTree<T> {
    /// Nodes in groups of four, the root's first; those below node `n` of group `g` are group `4 g + n + 1`.
    groups: Vec<[T; WIDTH]>,
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
        Self { groups: vec![[nothing; WIDTH]; above + last], least: nothing }
    }

    /// How many groups are above those of the leaves: each has four below it, and all but the first have one above.
    #[inline]
    fn above(&self) -> usize {
        (self.groups.len() - 1) / WIDTH
    }

    /// How many leaves there are.
    pub(super) fn room(&self) -> usize {
        (self.groups.len() - self.above()) * WIDTH
    }

    pub(super) fn copy_from(&mut self, other: &Self) {
        self.groups.clone_from(&other.groups);
        self.least = other.least;
    }

    pub(super) fn bytes(&self) -> usize {
        size_of_val(self.groups.as_slice())
    }

    /// All leaves are `nothing`.
    pub(super) fn clear(&mut self, nothing: T) {
        self.groups.fill([nothing; WIDTH]);
        self.least = nothing;
    }

    #[inline]
    pub(super) fn get(&self, leaf: usize) -> T {
        self.groups[self.above() + leaf / WIDTH][leaf % WIDTH]
    }

    #[inline]
    pub(super) fn set(&mut self, leaf: usize, value: T) {
        let (mut group, mut node, mut value) = (self.above() + leaf / WIDTH, leaf % WIDTH, value);
        loop {
            let nodes = &mut self.groups[group];
            if nodes[node] == value {
                return;
            }
            nodes[node] = value;
            let [a, b, c, d] = *nodes;
            value = a.min(b).min(c.min(d));
            if group == 0 {
                self.least = value;
                return;
            }
            (group, node) = ((group - 1) / WIDTH, (group - 1) % WIDTH);
        }
    }

    /// The least of all leaves.
    #[inline]
    pub(super) fn least(&self) -> T {
        self.least
    }
}
