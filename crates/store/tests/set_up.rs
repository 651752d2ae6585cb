//! What people set up: kinds, keys, notes, views and commands, each of one site.

use super::sites::{Sites, at, pages};
use lantern_core::command::Stage;
use lantern_core::{Moment, NoteId, SignalId};
use lantern_store::{
    Command, DeviceChange, Grants, Key, KeyUse, Kind, Lineage, NewArrival, NewCommand, NewKey, NewNote, Note,
    NoteFilter, Revision, Signal, Store, StoreError, Topic, View,
};

fn is_missing<T>(found: &Result<T, StoreError>) -> bool {
    matches!(found, Err(StoreError::NotFound))
}

#[tokio::test]
async fn kinds_have_revisions_and_let_go_of_their_devices() {
    let sites = Sites::new().await;
    let (store, here) = (&sites.store, sites.here);
    for code in ["probe", "gauge", "lamp"] {
        store.add_kind(here.site, code, "{\"v\":1}", "ann", at(1)).await.unwrap();
    }
    store.add_kind(sites.there.site, "probe", "{}", "ann", at(1)).await.unwrap();
    assert!(matches!(store.add_kind(here.site, "probe", "{}", "ben", at(2)).await, Err(StoreError::Taken)));
    let probe = store.kind(here.site, "probe").await.unwrap();
    assert_eq!((probe.devices, probe.newest.number, probe.newest.made_by.as_str()), (0, 1, "ann"));
    for number in 2..=4 {
        let made = store.revise_kind(probe.id, &format!("{{\"v\":{number}}}"), "ben", at(i64::from(number))).await;
        assert_eq!(made.unwrap(), number);
    }
    let follows = DeviceChange { kind: Some(Some((probe.id, 2))), ..DeviceChange::default() };
    store.change_device(here.device, follows).await.unwrap();
    let all =
        pages(async |last: Option<&Kind>| store.kinds(here.site, last.map_or("", |kind| &kind.code), 2).await.unwrap());
    let told: Vec<_> = all.await.into_iter().map(|kind| (kind.code, kind.devices, kind.newest.number)).collect();
    assert_eq!(told, [("gauge".to_owned(), 0, 1), ("lamp".to_owned(), 0, 1), ("probe".to_owned(), 1, 4)]);
    let revisions = pages(async |last: Option<&Revision>| {
        store.revisions(probe.id, last.map_or(u32::MAX, |one| one.number), 2).await.unwrap()
    });
    assert_eq!(revisions.await.iter().map(|one| one.number).collect::<Vec<_>>(), [4, 3, 2, 1]);
    assert_eq!(store.revision(probe.id, 2).await.unwrap().description, "{\"v\":2}", "what its device follows");
    assert!(is_missing(&store.revision(probe.id, 5).await));
    store.remove_kind(probe.id, at(9)).await.unwrap();
    assert!(is_missing(&store.kind(here.site, "probe").await) && is_missing(&store.remove_kind(probe.id, at(9)).await));
    assert_eq!(store.device_by_id(here.device).await.unwrap().kind, None);
    assert!(store.kind(sites.there.site, "probe").await.is_ok(), "the other site keeps its own");
    store.add_kind(here.site, "probe", "{}", "ben", at(10)).await.unwrap();
}

fn key(hash: &[u8]) -> NewKey<'_> {
    NewKey { secret_hash: hash, hint: "x4ak", note: "", grants: Grants::SEND, expires_at: None, follows: None }
}

#[tokio::test]
async fn a_key_is_found_by_its_hash_for_as_long_as_its_device_is_there() {
    let Sites { store, here, there, folder: _folder } = Sites::new().await;
    let own = store.add_key(here.site, Some(here.device), key(&[1]), at(1)).await.unwrap();
    let of_site = NewKey { grants: Grants { read: true, command: true, send: false }, ..key(&[2]) };
    let of_site = store.add_key(here.site, None, of_site, at(1)).await.unwrap();
    let owner = store.key_owner(&[1]).await.unwrap();
    assert_eq!((owner.id, owner.site, owner.device), (own.id, here.site, Some(here.device)));
    assert_eq!((owner.grants, owner.revoked, owner.lineage), (Grants::SEND, false, Lineage::Device(here.device)));
    let owner = store.key_owner(&[2]).await.unwrap();
    assert_eq!((owner.device, owner.grants.read, owner.grants.send), (None, true, false));
    assert_eq!(owner.lineage, Lineage::Site(of_site.id));
    assert!(is_missing(&store.key_owner(&[3]).await));
    assert!(is_missing(&store.key(there.site, Some(there.device), own.id).await), "of another site");
    assert!(is_missing(&store.key(here.site, None, own.id).await), "of a device, not of the site");
    let revoked = store.revoke_key(own.id, at(5)).await.unwrap();
    assert_eq!(store.revoke_key(own.id, at(9)).await.unwrap().revoked_at, revoked.revoked_at, "it keeps its time");
    assert!(store.key_owner(&[1]).await.unwrap().revoked);
    store.remove_device(here.device, at(10)).await.unwrap();
    assert!(is_missing(&store.key_owner(&[1]).await));
}

#[tokio::test]
async fn keys_that_follow_one_another_are_one_lineage() {
    let Sites { store, here, folder: _folder, .. } = Sites::new().await;
    let first = store.add_key(here.site, None, key(&[1]), at(1)).await.unwrap();
    let second = NewKey { follows: Some(first.id), ..key(&[2]) };
    let second = store.add_key(here.site, None, second, at(2)).await.unwrap();
    let lineage = Lineage::Site(first.id);
    assert_eq!(store.key_owner(&[2]).await.unwrap().lineage, lineage);
    assert!(store.has_usable_key(lineage, at(3)).await.unwrap());
    store.revoke_key(first.id, at(4)).await.unwrap();
    assert!(store.has_usable_key(lineage, at(5)).await.unwrap(), "the second goes on");
    assert_eq!(store.expire_key(second.id, at(20)).await.unwrap().expires_at, Some(at(20)));
    assert_eq!(store.expire_key(second.id, at(90)).await.unwrap().expires_at, Some(at(20)), "it ends no later");
    assert!(store.has_usable_key(lineage, at(19)).await.unwrap());
    assert!(!store.has_usable_key(lineage, at(20)).await.unwrap());
    assert!(!store.has_usable_key(Lineage::Device(here.device), at(1)).await.unwrap());
}

#[tokio::test]
async fn keys_are_paged_and_tell_their_last_use() {
    let Sites { store, here, there, folder: _folder } = Sites::new().await;
    for number in 0..5u8 {
        store.add_key(here.site, Some(here.device), key(&[number]), at(1)).await.unwrap();
    }
    store.add_key(there.site, Some(there.device), key(&[9]), at(1)).await.unwrap();
    let all = pages(async |last: Option<&Key>| {
        store.keys(here.site, Some(here.device), last.map_or(i64::MAX, |key| key.id.0), 2).await.unwrap()
    })
    .await;
    assert_eq!(all.len(), 5);
    assert!(all.is_sorted_by_key(|key| -key.id.0), "newest first");
    assert!(store.keys(here.site, None, i64::MAX, 9).await.unwrap().is_empty(), "the site itself has none");
    let used = KeyUse { key: all[2].id, at: at(7), from: "192.0.2.7".to_owned() };
    store.note_key_use(&[used]).await.unwrap();
    let found = store.key(here.site, Some(here.device), all[2].id).await.unwrap();
    assert_eq!((found.last_used_at, found.last_used_from.as_deref()), (Some(at(7)), Some("192.0.2.7")));
}

async fn note(store: &Store, sites: &Sites, topic: Topic, from: i64, to: Option<i64>, text: &str) -> NoteId {
    let new = NewNote { topic, from: at(from), to: to.map(at), text: text.to_owned() };
    store.add_note(sites.here.site, &new, "ann", at(100)).await.unwrap().id
}

#[tokio::test]
async fn notes_are_found_by_what_they_are_about_and_when() {
    let sites = Sites::new().await;
    let (store, here) = (&sites.store, sites.here);
    let shed = sites.device("shed").await;
    note(store, &sites, Topic::Site, 10, None, "opened").await;
    note(store, &sites, Topic::Device(here.device), 20, Some(40), "painted").await;
    note(store, &sites, Topic::Signal(here.device, here.signal), 30, None, "cleaned").await;
    note(store, &sites, Topic::Device(shed), 50, None, "moved").await;
    let list = async |filter: NoteFilter| -> Vec<String> {
        store.notes(here.site, &filter, 100).await.unwrap().into_iter().map(|note| note.text).collect()
    };
    let about = |topic| NoteFilter { about: Some(vec![topic]), ..NoteFilter::default() };
    let cases: [(NoteFilter, &[&str]); 7] = [
        (NoteFilter::default(), &["moved", "cleaned", "painted", "opened"]),
        (about(Topic::Site), &["opened"]),
        (about(Topic::Device(here.device)), &["cleaned", "painted", "opened"]),
        (about(Topic::Signal(here.device, here.signal)), &["cleaned", "painted", "opened"]),
        (about(Topic::Device(shed)), &["moved", "opened"]),
        (NoteFilter { from: Some(at(35)), ..NoteFilter::default() }, &["moved", "painted"]),
        (NoteFilter { to: Some(at(30)), ..NoteFilter::default() }, &["painted", "opened"]),
    ];
    for (filter, expected) in cases {
        assert_eq!(list(filter.clone()).await, expected, "{filter:?}");
    }
    let all = pages(async |last: Option<&Note>| {
        let after = last.map(|note| (note.from, note.id));
        store.notes(here.site, &NoteFilter { after, ..NoteFilter::default() }, 2).await.unwrap()
    });
    assert_eq!(all.await.len(), 4);
    assert!(store.notes(sites.there.site, &NoteFilter::default(), 9).await.unwrap().is_empty());
    store.remove_device(shed, at(200)).await.unwrap();
    assert_eq!(list(NoteFilter::default()).await, ["cleaned", "painted", "opened"], "it went with its device");
}

#[tokio::test]
async fn a_note_says_who_wrote_and_who_changed_it() {
    let sites = Sites::new().await;
    let (store, here) = (&sites.store, sites.here);
    let id = note(store, &sites, Topic::Site, 10, None, "opend").await;
    let new = NewNote { topic: Topic::Device(here.device), from: at(11), to: Some(at(12)), text: "opened".to_owned() };
    let changed = store.change_note(here.site, id, &new, "ben", at(200)).await.unwrap();
    assert_eq!((changed.device.as_deref(), changed.to), (Some("tower"), Some(at(12))));
    assert_eq!((changed.written, changed.changed), (("ann".to_owned(), at(100)), Some(("ben".to_owned(), at(200)))));
    for site in [sites.there.site] {
        assert!(is_missing(&store.note(site, id).await));
        assert!(is_missing(&store.change_note(site, id, &new, "eve", at(300)).await));
        assert!(is_missing(&store.remove_note(site, id).await));
    }
    assert_eq!(store.note(here.site, id).await.unwrap().text, "opened", "nobody of the other site has changed it");
    store.remove_note(here.site, id).await.unwrap();
    assert!(is_missing(&store.note(here.site, id).await));
}

#[tokio::test]
async fn views_are_kept_by_name_up_to_so_many() {
    let Sites { store, here, there, folder: _folder } = Sites::new().await;
    let view = |name: &str, second| View {
        name: name.to_owned(),
        query: format!("signals={second}"),
        kept_by: "ann".to_owned(),
        kept_at: at(second),
    };
    for (name, second, is_kept) in [("b", 1, true), ("a", 2, true), ("c", 3, true), ("d", 4, false), ("b", 5, true)] {
        assert_eq!(store.keep_view(here.site, &view(name, second), 3).await.unwrap(), is_kept, "{name} {second}");
    }
    assert!(store.keep_view(there.site, &view("d", 6), 3).await.unwrap(), "the other site has room");
    let all =
        pages(async |last: Option<&View>| store.views(here.site, last.map_or("", |view| &view.name), 2).await.unwrap());
    assert_eq!(all.await, [view("a", 2), view("b", 5), view("c", 3)], "the newer one of a name stays");
    assert!(is_missing(&store.view(here.site, "d").await) && is_missing(&store.remove_view(there.site, "a").await));
    store.remove_view(here.site, "a").await.unwrap();
    assert!(is_missing(&store.view(here.site, "a").await));
}

#[tokio::test]
async fn commands_are_paged_found_by_time_and_kept_up_to_a_number() {
    let sites = Sites::new().await;
    let (store, here) = (&sites.store, sites.here);
    let new = |device| NewCommand {
        device,
        name: "heater",
        arguments: "{}",
        given_by: "ann",
        expires_at: None,
        timeout_s: 30.0,
    };
    let standing = store.add_command(new(here.device), &[], at(0)).await.unwrap();
    for second in 1..=1_002 {
        let given = store.add_command(new(here.device), &[], at(second)).await.unwrap();
        store.advance_command(given.id, Stage::Done, "", at(second)).await.unwrap();
    }
    let all = store.commands(here.device, i64::MAX, 5_000).await.unwrap();
    assert_eq!(all.len(), 1_001, "those that are over are bounded");
    assert_eq!(all.last().unwrap().id, standing.id, "one that waits stays, however old");
    let between = store.commands_between(here.device, (at(998), at(1_001)), 100).await.unwrap();
    assert_eq!(between.iter().map(|one| one.given_at).collect::<Vec<Moment>>(), [at(1_000), at(999), at(998)]);
    let mut seen = 0;
    let newest = pages(async |last: Option<&Command>| {
        seen += 1;
        let before = last.map_or(i64::MAX, |one| one.id.0);
        if seen > 3 { Vec::new() } else { store.commands(here.device, before, 2).await.unwrap() }
    });
    assert_eq!(newest.await, all[..6]);
    assert!(is_missing(&store.command(sites.there.device, standing.id).await), "of another device");
    assert_eq!(store.open_commands().await.unwrap().len(), 1);
    store.remove_device(here.device, at(2_000)).await.unwrap();
    assert!(store.open_commands().await.unwrap().is_empty(), "nothing waits for what is gone");
}

#[tokio::test]
async fn arrivals_are_of_one_site_wait_and_are_ignored() {
    let Sites { store, here, there, folder: _folder } = Sites::new().await;
    let names = ["b", "a", "c"].map(|name| NewArrival { name, unit: Some("m") });
    let arrived = store.add_arrivals(here.device, &names, at(1)).await.unwrap();
    let again = store.add_arrivals(here.device, &names[..1], at(2)).await.unwrap();
    assert_eq!(again[0].id, arrived[0].id, "a name waits once");
    let declared = store.add_arrivals(here.device, &[NewArrival { name: "level", unit: None }], at(2)).await.unwrap();
    assert_eq!(declared[0].id, here.signal, "a declared one keeps its signal");
    store.add_arrivals(there.device, &names[..1], at(1)).await.unwrap();
    let list = async |ignored| {
        let all = pages(async |last: Option<&(String, Signal)>| {
            let after = last.map_or(SignalId(0), |(_, signal)| signal.id);
            store.arrivals(here.site, ignored, after, 2).await.unwrap()
        });
        all.await.into_iter().map(|(device, signal)| format!("{device}/{}", signal.code)).collect::<Vec<_>>()
    };
    assert_eq!(list(false).await, ["tower/b", "tower/a", "tower/c"]);
    store.ignore_arrival(arrived[1].id, Some(at(3))).await.unwrap();
    assert_eq!((list(false).await.len(), list(true).await), (2, vec!["tower/a".to_owned()]));
    assert_eq!(
        (store.count_arrivals(here.site).await.unwrap(), store.count_arrivals(there.site).await.unwrap()),
        (2, 1)
    );
    assert!(is_missing(&store.ignore_arrival(here.signal, Some(at(3))).await), "a declared signal is no arrival");
    store.ignore_arrival(arrived[1].id, None).await.unwrap();
    assert_eq!(list(false).await.len(), 3);
}
