//! People, their log-ins, roles and invitations.

use lantern_core::access::Role;
use lantern_core::{DecimalMark, Moment, SiteId};
use lantern_store::{
    NewInvitation, NewRecord, NewSession, NewSite, PersonChange, RecordFilter, SessionKind, Store, StoreError,
};
use tempfile::TempDir;

fn at(seconds: i64) -> Moment {
    Moment::from_micros(1_777_636_800_000_000 + seconds * 1_000_000).unwrap()
}

struct Place {
    store: Store,
    site: SiteId,
    _folder: TempDir,
}

async fn place() -> Place {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(folder.path()).await.unwrap();
    let new = NewSite { code: "marlbeck", name: "Marlbeck", zone: "UTC", position: None };
    let site = store.add_site(new, at(0)).await.unwrap().id;
    store.add_first_person("ann", "hash", at(0)).await.unwrap();
    Place { store, site, _folder: folder }
}

fn session(person: i64, hash: &[u8], ends_at: i64) -> NewSession<'_> {
    NewSession {
        secret_hash: hash,
        person,
        kind: SessionKind::Token,
        name: "t",
        at_most: None,
        site: None,
        from: "192.0.2.1",
        expires_at: at(ends_at),
    }
}

fn invitation<'a>(hash: &'a [u8], role: Option<(SiteId, Role)>, ends_at: i64) -> NewInvitation<'a> {
    NewInvitation {
        secret_hash: hash,
        for_whom: "somebody",
        role,
        is_administrator: role.is_none(),
        person: None,
        invited_by: "ann",
        expires_at: at(ends_at),
    }
}

#[tokio::test]
async fn sessions_end_and_the_longest_unused_give_way() {
    let Place { store, _folder, .. } = place().await;
    let ann = store.person_by_name("ann").await.unwrap().id;
    for number in 0..5u8 {
        let seconds = i64::from(number);
        let added = store.add_session(&session(ann, &[number], 1_000), 3, at(seconds)).await.unwrap();
        if number == 2 {
            // One that is used stays longer than those that came after it.
            store.note_sessions(&[(added.id, at(500), "198.51.100.9".to_owned())]).await.unwrap();
        }
    }
    let holds = async |number: u8, now: i64| store.holder(&[number], SessionKind::Token, None, at(now)).await.is_ok();
    let held = [holds(0, 10).await, holds(1, 10).await, holds(2, 10).await, holds(3, 10).await, holds(4, 10).await];
    assert_eq!(held, [false, false, true, true, true]);
    assert!(!holds(4, 1_000).await, "its time is over");
    assert!(store.holder(&[4], SessionKind::Browser, None, at(10)).await.is_err(), "a token is no cookie");
    let listed = store.sessions(ann, 0, 10, at(10)).await.unwrap();
    assert_eq!(
        listed.iter().map(|one| one.last_from.as_str()).collect::<Vec<_>>(),
        ["198.51.100.9", "192.0.2.1", "192.0.2.1"]
    );
    // Nobody who comes in ends what has only ended by their clock; the sweep does.
    store.add_session(&session(ann, &[9], 5_000), 3, at(2_000)).await.unwrap();
    assert_eq!(store.sessions(ann, 0, 10, at(10)).await.unwrap().len(), 3);
    store.sweep_ended(at(2_000)).await.unwrap();
    assert_eq!(store.sessions(ann, 0, 10, at(10)).await.unwrap().len(), 1);
}

#[tokio::test]
async fn a_session_is_its_persons_alone() {
    let Place { store, site, _folder } = place().await;
    let ann = store.person_by_name("ann").await.unwrap().id;
    store.add_invitation(&invitation(&[1], Some((site, Role::Viewer)), 100), 10, at(0)).await.unwrap();
    let invited = store.invitation(&[1], at(1)).await.unwrap();
    let vera = store.come_in(invited.id, "vera", "hash", at(1)).await.unwrap();
    let hers = store.add_session(&session(vera.id, &[7], 1_000), 3, at(2)).await.unwrap();
    assert!(matches!(store.end_session(ann, hers.id).await, Err(StoreError::NotFound)));
    let holder = store.holder(&[7], SessionKind::Token, Some("marlbeck"), at(3)).await.unwrap();
    assert_eq!((holder.role, holder.site), (Some(Role::Viewer), Some(site)));
    let elsewhere = store.holder(&[7], SessionKind::Token, Some("nowhere"), at(3)).await.unwrap();
    assert_eq!((elsewhere.role, elsewhere.site), (None, None));
    store.set_password(vera.id, "other", None).await.unwrap();
    assert!(store.holder(&[7], SessionKind::Token, None, at(3)).await.is_err(), "a new password ends it");
}

#[tokio::test]
async fn invitations_are_used_once_end_and_are_bounded() {
    let Place { store, site, _folder } = place().await;
    let viewer = Some((site, Role::Viewer));
    for number in 0..3u8 {
        store.add_invitation(&invitation(&[number], viewer, 100), 3, at(0)).await.unwrap();
    }
    let full = store.add_invitation(&invitation(&[9], viewer, 100), 3, at(0)).await;
    assert!(matches!(full, Err(StoreError::Taken)));
    assert_eq!(store.invitations(Some(site), 0, 10, at(1)).await.unwrap().len(), 3);
    assert!(store.invitations(None, 0, 10, at(1)).await.unwrap().is_empty());
    assert!(store.invitation(&[0], at(100)).await.is_err(), "its time is over");
    // Those that have ended make room.
    store.add_invitation(&invitation(&[9], viewer, 300), 3, at(200)).await.unwrap();

    let id = store.invitation(&[9], at(201)).await.unwrap().id;
    assert!(matches!(store.come_in(id, "ANN", "hash", at(201)).await, Err(StoreError::Taken)));
    store.come_in(id, "bob", "hash", at(201)).await.expect("a name that was taken has used nothing up");
    assert!(matches!(store.come_in(id, "eve", "hash", at(201)).await, Err(StoreError::NotFound)));
    assert!(store.person_by_name("eve").await.is_err());
}

#[tokio::test]
async fn accepting_raises_a_role_and_never_lowers_it() {
    let Place { store, site, _folder } = place().await;
    let ann = store.person_by_name("ann").await.unwrap().id;
    let all = [Role::Operator, Role::Viewer, Role::Owner, Role::Operator];
    let expected = [Role::Operator, Role::Operator, Role::Owner, Role::Owner];
    for (number, (role, becomes)) in (0u8..).zip(all.into_iter().zip(expected)) {
        store.add_invitation(&invitation(&[number], Some((site, role)), 100), 10, at(0)).await.unwrap();
        let id = store.invitation(&[number], at(1)).await.unwrap().id;
        store.accept_invitation(id, ann, at(1)).await.unwrap();
        assert_eq!(store.member(site, ann).await.unwrap(), becomes, "{role:?}");
    }
}

#[tokio::test]
async fn what_people_change_of_themselves_is_kept() {
    let Place { store, _folder, .. } = place().await;
    let ann = store.person_by_name("ann").await.unwrap().id;
    let change = PersonChange {
        name: Some("Ann Lee".to_owned()),
        decimal_mark: Some(Some(DecimalMark::Comma)),
        zone: Some(Some("Europe/London".to_owned())),
        addresses: Some(vec!["ann@marlbeck.example".to_owned(), "+44 1632 960001".to_owned()]),
    };
    let changed = store.change_person(ann, &change).await.unwrap();
    assert_eq!(changed, store.person_by_name("ann lee").await.unwrap());
    assert_eq!((changed.decimal_mark, changed.addresses.len()), (Some(DecimalMark::Comma), 2));
    let less = PersonChange { zone: Some(None), addresses: Some(Vec::new()), ..PersonChange::default() };
    let changed = store.change_person(ann, &less).await.unwrap();
    assert_eq!((changed.zone, changed.addresses.len(), changed.name.as_str()), (None, 0, "Ann Lee"));
    assert_eq!(changed.decimal_mark, Some(DecimalMark::Comma), "what is not said stays");
}

#[tokio::test]
async fn codes_of_a_second_factor_are_good_once() {
    let Place { store, _folder, .. } = place().await;
    let ann = store.person_by_name("ann").await.unwrap().id;
    assert!(store.begin_second(ann, &[], at(0)).await.is_err(), "none was offered");
    store.propose_second(ann, b"secret").await.unwrap();
    store.begin_second(ann, &[vec![1], vec![2]], at(0)).await.unwrap();
    assert!(store.propose_second(ann, b"other").await.is_err(), "there is one");
    let mut steps = Vec::new();
    for step in [10, 10, 9, 11] {
        steps.push(store.use_second_step(ann, step).await.unwrap());
    }
    assert_eq!(steps, [true, false, false, true]);
    let mut codes = Vec::new();
    for code in [1, 1, 3] {
        codes.push(store.use_recovery_code(ann, &[code]).await.unwrap());
    }
    assert_eq!(codes, [true, false, false]);
    assert_eq!(store.recovery_codes_left(ann).await.unwrap(), 1);
    store.end_second(ann).await.unwrap();
    assert_eq!(store.recovery_codes_left(ann).await.unwrap(), 0);
    assert_eq!(store.person_by_name("ann").await.unwrap().second, None);
}

#[tokio::test]
async fn sites_are_those_where_one_has_a_role() {
    let Place { store, site, _folder } = place().await;
    let new = NewSite { code: "fellside", name: "Fellside", zone: "UTC", position: None };
    let other = store.add_site(new, at(0)).await.unwrap().id;
    let ann = store.person_by_name("ann").await.unwrap().id;
    store.set_member(site, ann, Role::Owner, at(0)).await.unwrap();
    let codes = async |person: Option<i64>, only: Option<SiteId>, after: &str| {
        let found = store.sites_of(person, only, after, 10).await.unwrap();
        found.into_iter().map(|(site, role)| format!("{}:{role:?}", site.code)).collect::<Vec<_>>()
    };
    assert_eq!(codes(None, None, "").await, ["fellside:None", "marlbeck:None"]);
    assert_eq!(codes(Some(ann), None, "").await, ["marlbeck:Some(Owner)"]);
    assert_eq!(codes(None, Some(other), "").await, ["fellside:None"]);
    assert_eq!(codes(Some(ann), Some(other), "").await, Vec::<String>::new());
    assert_eq!(codes(None, None, "fellside").await, ["marlbeck:None"]);
    store.remove_site(site, at(5)).await.unwrap();
    assert_eq!(codes(Some(ann), None, "").await, Vec::<String>::new());
    store.restore_site("marlbeck", at(0)).await.unwrap();
    assert_eq!(codes(Some(ann), None, "").await, ["marlbeck:Some(Owner)"], "the role comes back with it");
}

#[tokio::test]
async fn a_restored_site_has_no_more_than_what_went_with_it() {
    let Place { store, site, _folder } = place().await;
    let new = |code| lantern_store::NewDevice { code, name: code, interval_s: 60.0, ..Default::default() };
    let tower = store.add_device(site, new("tower"), at(0)).await.unwrap();
    let shed = store.add_device(site, new("shed"), at(0)).await.unwrap();
    store.remove_device(shed.id, at(5)).await.unwrap();
    store.remove_site(site, at(9)).await.unwrap();
    assert!(matches!(store.restore_site("marlbeck", at(10)).await, Err(StoreError::NotFound)), "too long ago");
    store.restore_site("marlbeck", at(0)).await.unwrap();
    assert_eq!(store.device(site, "tower").await.unwrap().id, tower.id);
    assert!(store.device(site, "shed").await.is_err(), "it had gone before");
    // Another that took its code meanwhile keeps it.
    store.remove_site(site, at(20)).await.unwrap();
    store.add_site(NewSite { code: "marlbeck", name: "Another", zone: "UTC", position: None }, at(21)).await.unwrap();
    assert!(matches!(store.restore_site("marlbeck", at(0)).await, Err(StoreError::Taken)));
    assert_eq!(store.site("marlbeck").await.unwrap().name, "Another");
}

#[tokio::test]
async fn the_record_is_searched_and_outlives_what_it_tells_of() {
    let Place { store, site, _folder } = place().await;
    let line = |object: &'static str, who: &'static str, second: i64| NewRecord {
        at: at(second),
        site: Some((site, "marlbeck")),
        who,
        way: "console",
        origin: "192.0.2.1",
        action: "changed",
        object,
        before: Some(r#"{"note":"wet"}"#),
        after: Some(r#"{"note":"dry"}"#),
    };
    for (object, who, second) in
        [("devices/tower", "ann", 1), ("devices/tower/signals/level", "bob", 2), ("devices/tower-2", "ann", 3)]
    {
        store.add_record(&line(object, who, second)).await.unwrap();
    }
    let count = async |filter: RecordFilter<'_>| store.records(&filter, None, 10).await.unwrap().len();
    let usual = RecordFilter::default;
    assert_eq!(count(RecordFilter { object: Some("devices/tower"), ..usual() }).await, 2, "tower-2 is another");
    assert_eq!(count(RecordFilter { who: Some("BOB"), ..usual() }).await, 1);
    assert_eq!(count(RecordFilter { words: Some("DRY"), ..usual() }).await, 3);
    assert_eq!(count(RecordFilter { words: Some("%"), ..usual() }).await, 0, "it is no pattern");
    assert_eq!(count(RecordFilter { from: Some(at(2)), to: Some(at(3)), ..usual() }).await, 1);
    assert_eq!(count(RecordFilter { site: Some(SiteId(99)), ..usual() }).await, 0);
    store.remove_site(site, at(10)).await.unwrap();
    while store.sweep(at(20)).await.unwrap() {}
    let left = store.records(&usual(), None, 10).await.unwrap();
    assert_eq!((left.len(), left[0].site_code.as_deref()), (3, Some("marlbeck")));
}
