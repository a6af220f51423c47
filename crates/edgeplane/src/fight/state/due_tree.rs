//! What of many is due first: a tree in which every node holds the least of the four below it, so that a leaf is set in as
//! many steps as the tree has levels, and each step looks at four values side by side.

/// Nodes below one node.
const WIDTH: usize = 4;

/// The least of as many values as there are leaves.
#[derive(Clone, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(super) struct DueTree<T> {
    /// Nodes in groups of four, the root's first. Counted through, node `n` holds the least of group `n + 1` as long as there
    /// is such a group; the nodes after those are the leaves. So none are left over, whatever their number is.
    groups: Vec<[T; WIDTH]>,
    least: T,
}

impl<T: Copy + Ord> DueTree<T> {
    /// A tree with at least so many leaves, all of which are `nothing`: greater than whatever is set.
    pub(super) fn new(leaves: usize, nothing: T) -> Self {
        let groups = leaves.saturating_sub(1).div_ceil(WIDTH - 1).max(1);
        Self { groups: vec![[nothing; WIDTH]; groups], least: nothing }
    }

    /// The nodes that are no leaves.
    #[inline]
    fn inner(&self) -> usize {
        self.groups.len() - 1
    }

    /// How many leaves there are.
    pub(super) fn room(&self) -> usize {
        self.groups.len() * WIDTH - self.inner()
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
        let node = self.inner() + leaf;
        self.groups[node / WIDTH][node % WIDTH]
    }

    #[inline]
    pub(super) fn set(&mut self, leaf: usize, value: T) {
        let (mut node, mut value) = (self.inner() + leaf, value);
        loop {
            let group = node / WIDTH;
            let nodes = &mut self.groups[group];
            let place = &mut nodes[node % WIDTH];
            if *place == value {
                return;
            }
            *place = value;
            let [a, b, c, d] = *nodes;
            value = a.min(b).min(c.min(d));
            if group == 0 {
                self.least = value;
                return;
            }
            node = group - 1;
        }
    }

    /// The least of all leaves.
    #[inline]
    pub(super) fn least(&self) -> T {
        self.least
    }

    /// The leaf that holds it, by what no other one has.
    #[inline]
    pub(super) fn first<K: PartialEq>(&self, key: impl Fn(&T) -> K) -> usize {
        let least = key(&self.least);
        let (mut node, inner) = (0, self.inner());
        loop {
            let [a, b, c, _] = &self.groups[node];
            let place = if key(a) == least {
                0
            } else if key(b) == least {
                1
            } else {
                2 + usize::from(key(c) != least)
            };
            node = node * WIDTH + place;
            if node >= inner {
                return node - inner;
            }
            node += 1;
        }
    }
}
