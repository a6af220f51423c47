//! Finds the earliest of many due times: a tree in which every node holds the minimum of the four nodes below it, so
//! that setting a leaf takes as many steps as the tree has levels, and each step compares four adjacent values.

/// Children per node.
const WIDTH: usize = 4;

/// The minimum of all leaves.
#[derive(Clone, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub(super) struct DueTree<T> {
    /// Nodes in groups of four, the root's group first. Node `n` holds the minimum of group `n + 1` as long as that
    /// group exists; the nodes after that are the leaves. This numbering wastes no nodes, whatever the number of
    /// leaves.
    groups: Vec<[T; WIDTH]>,
    least: T,
}

impl<T: Copy + Ord> DueTree<T> {
    /// A tree with at least this many leaves, all of them `nothing`, which must be greater than any value that is set.
    pub(super) fn new(leaves: usize, nothing: T) -> Self {
        let groups = leaves.saturating_sub(1).div_ceil(WIDTH - 1).max(1);
        Self { groups: vec![[nothing; WIDTH]; groups], least: nothing }
    }

    /// The number of inner nodes.
    #[inline]
    fn inner(&self) -> usize {
        self.groups.len() - 1
    }

    /// The number of leaves.
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

    /// Sets all leaves to `nothing`.
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

    /// The minimum of all leaves.
    #[inline]
    pub(super) fn least(&self) -> T {
        self.least
    }

    /// The leaf that holds it, identified by its unique value.
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
