//! Circles and layers of a graph.

use std::collections::{BTreeMap, BTreeSet};

/// Who uses whom, by name.
pub(super) type Graph = BTreeMap<String, BTreeSet<String>>;

/// All that a name uses, by whatever way.
fn reach(graph: &Graph, from: &str) -> BTreeSet<String> {
    let mut found = BTreeSet::new();
    let mut open: Vec<&String> = graph.get(from).into_iter().flatten().collect();
    while let Some(name) = open.pop() {
        if found.insert(name.clone()) {
            open.extend(graph.get(name).into_iter().flatten());
        }
    }
    found
}

/// Names that use each other, in groups.
pub(super) fn circles(graph: &Graph) -> Vec<Vec<String>> {
    let reached: BTreeMap<&String, BTreeSet<String>> = graph.keys().map(|name| (name, reach(graph, name))).collect();
    let mut groups: BTreeSet<Vec<String>> = BTreeSet::new();
    for (name, reached_here) in reached.iter().filter(|(name, reached)| reached.contains(**name)) {
        let back = |other: &&String| reached.get(other).is_some_and(|reached| reached.contains(*name));
        groups.insert(reached_here.iter().filter(back).cloned().collect());
    }
    groups.into_iter().collect()
}

/// Names from the highest layer to the lowest: each uses only names of layers below its own,
/// but for those that go round in a circle with it.
pub(super) fn layers(graph: &Graph) -> Vec<Vec<String>> {
    let mut left: BTreeSet<&String> = graph.keys().collect();
    let mut layers = Vec::new();
    while !left.is_empty() {
        let is_lowest = |name: &&&String| {
            let used = reach(graph, name);
            used.iter().all(|used| !left.contains(used) || reach(graph, used).contains(**name))
        };
        let layer: Vec<&String> = left.iter().filter(is_lowest).copied().collect();
        layer.iter().for_each(|name| {
            left.remove(name);
        });
        layers.push(layer.into_iter().cloned().collect());
    }
    layers.reverse();
    layers
}

#[cfg(test)]
mod tests {
    use super::*;

    fn graph(edges: &[(&str, &[&str])]) -> Graph {
        let own = |name: &&str| (*name).to_owned();
        edges.iter().map(|(from, to)| ((*from).to_owned(), to.iter().map(own).collect())).collect()
    }

    #[test]
    fn layers_stand_on_one_another() {
        let house = graph(&[("roof", &["wall"]), ("wall", &["ground"]), ("door", &["ground"]), ("ground", &[])]);
        assert!(circles(&house).is_empty());
        assert_eq!(layers(&house), [vec!["roof"], vec!["door", "wall"], vec!["ground"]]);
    }

    #[test]
    fn circles_are_found() {
        let round = graph(&[("a", &["b"]), ("b", &["c"]), ("c", &["b"]), ("d", &["a", "d"])]);
        assert_eq!(circles(&round), [vec!["b", "c"], vec!["d"]]);
        assert_eq!(layers(&round).concat().len(), 4);
    }
}
