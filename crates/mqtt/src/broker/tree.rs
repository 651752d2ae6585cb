//! Subscriptions by topic level.

use crate::codec::Subscription;
use crate::topic::Filter;
use std::collections::HashMap;

/// Who subscribed, and how.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Entry {
    pub(super) session: u64,
    pub(super) options: Subscription,
}

/// Members of a shared subscription: each message goes to one of them.
#[derive(Debug)]
struct Group {
    name: Box<str>,
    members: Vec<Entry>,
    /// Whose turn it is.
    next: usize,
}

/// A level of the tree. `+` and `#` are children like any other.
#[derive(Debug, Default)]
struct Node {
    children: HashMap<Box<str>, Node>,
    entries: Vec<Entry>,
    groups: Vec<Group>,
}

impl Node {
    fn is_empty(&self) -> bool {
        self.children.is_empty() && self.entries.is_empty() && self.groups.is_empty()
    }
}

/// All subscriptions of a realm.
#[derive(Debug, Default)]
pub(super) struct Tree {
    root: Node,
}

/// Whom a message goes to.
#[derive(Debug, Default)]
pub(super) struct Matched {
    /// All of these.
    pub(super) each: Vec<Entry>,
    /// One of each of these; whose turn it is comes first.
    pub(super) one_of: Vec<Vec<Entry>>,
}

impl Tree {
    /// Adds or replaces a subscription. Says whether it is new.
    pub(super) fn insert(&mut self, filter: &Filter, entry: Entry) -> bool {
        let mut node = &mut self.root;
        for level in filter.pattern().split('/') {
            if !node.children.contains_key(level) {
                node.children.insert(level.into(), Node::default());
            }
            let Some(child) = node.children.get_mut(level) else { return false };
            node = child;
        }
        let entries = match filter.group() {
            None => &mut node.entries,
            Some(name) => {
                let place = node.groups.iter().position(|group| *group.name == *name).unwrap_or_else(|| {
                    node.groups.push(Group { name: name.into(), members: Vec::new(), next: 0 });
                    node.groups.len() - 1
                });
                &mut node.groups[place].members
            }
        };
        match entries.iter_mut().find(|other| other.session == entry.session) {
            Some(other) => {
                *other = entry;
                false
            }
            None => {
                entries.push(entry);
                true
            }
        }
    }

    /// Removes a subscription. Says whether it was there.
    pub(super) fn remove(&mut self, filter: &Filter, session: u64) -> bool {
        let levels: Vec<&str> = filter.pattern().split('/').collect();
        remove(&mut self.root, &levels, filter.group(), session)
    }

    /// Whom a message on a topic goes to.
    pub(super) fn matching(&mut self, name: &str) -> Matched {
        let levels: Vec<&str> = name.split('/').collect();
        let mut matched = Matched::default();
        collect(&mut self.root, &levels, !name.starts_with('$'), &mut matched);
        matched
    }

    /// Whether there are none.
    pub(super) fn is_empty(&self) -> bool {
        self.root.is_empty()
    }
}

fn remove(node: &mut Node, levels: &[&str], group: Option<&str>, session: u64) -> bool {
    if let [level, rest @ ..] = levels {
        let Some(child) = node.children.get_mut(*level) else { return false };
        let was_there = remove(child, rest, group, session);
        if child.is_empty() {
            node.children.remove(*level);
        }
        return was_there;
    }
    let entries = match group {
        None => Some(&mut node.entries),
        Some(name) => node.groups.iter_mut().find(|group| *group.name == *name).map(|group| &mut group.members),
    };
    let Some(entries) = entries else { return false };
    let before = entries.len();
    entries.retain(|entry| entry.session != session);
    let was_there = entries.len() < before;
    node.groups.retain(|group| !group.members.is_empty());
    was_there
}

/// `wild` is whether wildcards hold here: not for the first level of a topic that
/// begins with `$`.
fn collect(node: &mut Node, levels: &[&str], wild: bool, matched: &mut Matched) {
    if wild && let Some(child) = node.children.get_mut("#") {
        take(child, matched);
    }
    let [level, rest @ ..] = levels else { return take(node, matched) };
    if let Some(child) = node.children.get_mut(*level) {
        collect(child, rest, true, matched);
    }
    if wild && let Some(child) = node.children.get_mut("+") {
        collect(child, rest, true, matched);
    }
}

fn take(node: &mut Node, matched: &mut Matched) {
    matched.each.extend_from_slice(&node.entries);
    for group in &mut node.groups {
        let turn = group.next % group.members.len().max(1);
        group.next = turn + 1;
        let mut members = group.members.clone();
        members.rotate_left(turn);
        matched.one_of.push(members);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::codec::Retained;
    use crate::message::QoS;
    use proptest::prelude::*;

    fn entry(session: u64) -> Entry {
        let options = Subscription {
            qos: QoS::AtMostOnce,
            no_local: false,
            as_published: false,
            retained: Retained::Send,
            id: None,
        };
        Entry { session, options }
    }

    fn level() -> impl Strategy<Value = &'static str> {
        prop::sample::select(vec!["a", "b", "", "$x"])
    }

    fn name() -> impl Strategy<Value = String> {
        prop::collection::vec(level(), 1..5)
            .prop_map(|levels| levels.join("/"))
            .prop_filter("not empty", |name| !name.is_empty())
    }

    fn pattern() -> impl Strategy<Value = String> {
        let level = prop::sample::select(vec!["a", "b", "", "$x", "+"]);
        (prop::collection::vec(level, 1..5), any::<bool>())
            .prop_map(|(levels, all)| levels.join("/") + if all { "/#" } else { "" })
            .prop_filter("not empty", |pattern| !pattern.is_empty())
    }

    proptest! {
        #[test]
        fn the_tree_finds_what_matching_one_by_one_finds(
            patterns in prop::collection::vec(pattern(), 0..20),
            names in prop::collection::vec(name(), 1..20),
            gone in prop::collection::vec(any::<bool>(), 20),
        ) {
            let mut tree = Tree::default();
            for (session, pattern) in patterns.iter().enumerate() {
                tree.insert(&Filter::parse(pattern).unwrap(), entry(session as u64));
            }
            for (session, pattern) in patterns.iter().enumerate().filter(|(session, _)| gone[*session]) {
                prop_assert!(tree.remove(&Filter::parse(pattern).unwrap(), session as u64));
            }
            for name in &names {
                let mut found: Vec<u64> = tree.matching(name).each.iter().map(|entry| entry.session).collect();
                found.sort_unstable();
                let expected: Vec<u64> = patterns.iter().enumerate()
                    .filter(|(session, pattern)| !gone[*session] && crate::matches(pattern, name))
                    .map(|(session, _)| session as u64)
                    .collect();
                prop_assert_eq!(found, expected, "{}", name);
            }
            for (session, pattern) in patterns.iter().enumerate().filter(|(session, _)| !gone[*session]) {
                tree.remove(&Filter::parse(pattern).unwrap(), session as u64);
            }
            prop_assert!(tree.is_empty(), "nothing is left behind");
        }
    }

    #[test]
    fn members_of_a_group_take_turns() {
        let mut tree = Tree::default();
        let filter = Filter::parse("$share/g/a/+").unwrap();
        for session in 1..=3 {
            assert!(tree.insert(&filter, entry(session)));
        }
        let turns: Vec<u64> = (0..6).map(|_| tree.matching("a/b").one_of[0][0].session).collect();
        assert_eq!(turns, [1, 2, 3, 1, 2, 3]);
        assert!(tree.matching("a/b").each.is_empty());
    }
}
