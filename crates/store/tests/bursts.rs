//! Bursts and stays over sealed segments, what is not sealed yet, and what came late.

use crate::world::{SECOND, at, reading, record, signals};
use lantern_core::SignalId;
use lantern_core::series::StayOf;
use lantern_store::{Limits, Order, Page, Store};

/// Every so many seconds a train crosses, for ten seconds.
const EVERY: i64 = 100;
const LONG: i64 = 10;
const TRAINS: i64 = 30;

/// A store with small segments in which trains have crossed; the samples of one came last of all.
async fn crossed(dir: &std::path::Path) -> (Store, SignalId) {
    let limits = Limits { segment: 25, dense_segment: 25, rollup: 4, burst: 25, ..Limits::default() };
    let store = Store::open_with(dir, limits).await.unwrap();
    let [strain, _] = signals(&store).await;
    let late = 7;
    for train in (0..TRAINS).filter(|train| *train != late).chain([late]) {
        let sample = |second: i64| reading(strain, train * EVERY + second, ((train + second) % 50) as i8);
        record(&store, (0..LONG).map(sample).collect()).await;
        if train % 5 == 0 {
            store.quiet().await;
        }
    }
    (store, strain)
}

fn page(signal: SignalId, order: Order, (from, to): (i64, i64), limit: u32) -> Page {
    Page { signal, from: at(from), to: at(to), limit, order }
}

#[tokio::test]
async fn each_train_is_one_burst_wherever_its_samples_lie() {
    let dir = tempfile::tempdir().unwrap();
    let (store, strain) = crossed(dir.path()).await;
    let all = (0, TRAINS * EVERY);
    for seal in [false, true] {
        if seal {
            store.quiet().await;
        }
        let (bursts, is_more) = store.bursts(page(strain, Order::Ascending, all, 100), 5 * SECOND).await.unwrap();
        assert!(!is_more);
        let told: Vec<_> = bursts.iter().map(|b| (b.first, b.last, b.count)).collect();
        let base = at(0).as_micros();
        let expected: Vec<_> = (0..TRAINS)
            .map(|train| (base + train * EVERY * SECOND, base + (train * EVERY + LONG - 1) * SECOND, LONG as u64))
            .collect();
        assert_eq!(told, expected, "sealed: {seal}");
        let greatest = bursts[7].max.unwrap();
        assert_eq!((greatest.value, greatest.at), (16.0, Some(base + (7 * EVERY + 9) * SECOND)));
        let (mut back, _) = store.bursts(page(strain, Order::Descending, all, 100), 5 * SECOND).await.unwrap();
        back.reverse();
        assert_eq!(back, bursts, "the same from the other end");
    }
    store.close().await;
}

#[tokio::test]
async fn pages_of_bursts_miss_none_and_tell_none_twice() {
    let dir = tempfile::tempdir().unwrap();
    let (store, strain) = crossed(dir.path()).await;
    for (order, limit) in
        [(Order::Ascending, 7), (Order::Descending, 7), (Order::Ascending, 1), (Order::Descending, 30)]
    {
        let mut span = (at(0), at(TRAINS * EVERY));
        let mut found = Vec::new();
        loop {
            let page = Page { signal: strain, from: span.0, to: span.1, limit, order };
            let (bursts, is_more) = store.bursts(page, 5 * SECOND).await.unwrap();
            assert!(bursts.len() <= limit as usize);
            found.extend(bursts.iter().map(|burst| (burst.first, burst.count)));
            let Some(last) = bursts.last().filter(|_| is_more) else { break };
            let moment = |micros| lantern_core::Moment::from_micros(micros).unwrap();
            match order {
                Order::Ascending => span.0 = moment(last.last).next(),
                Order::Descending => span.1 = moment(last.first),
            }
        }
        found.sort_unstable();
        let base = at(0).as_micros();
        let expected: Vec<_> = (0..TRAINS).map(|train| (base + train * EVERY * SECOND, LONG as u64)).collect();
        assert_eq!(found, expected, "{order:?} {limit}");
    }
    store.close().await;
}

#[tokio::test]
async fn a_span_that_cuts_a_burst_shows_its_part() {
    let dir = tempfile::tempdir().unwrap();
    let (store, strain) = crossed(dir.path()).await;
    let cut = (EVERY + 4, 2 * EVERY + 3);
    let (bursts, _) = store.bursts(page(strain, Order::Ascending, cut, 10), 5 * SECOND).await.unwrap();
    assert_eq!(bursts.iter().map(|burst| burst.count).collect::<Vec<_>>(), [6, 3]);
    let (wide, _) = store.bursts(page(strain, Order::Ascending, cut, 10), EVERY * SECOND).await.unwrap();
    assert_eq!(wide.iter().map(|burst| burst.count).collect::<Vec<_>>(), [9], "a longer gap joins them");
    store.close().await;
}

#[tokio::test]
async fn values_stay_until_they_change_and_page() {
    let dir = tempfile::tempdir().unwrap();
    let limits = Limits { segment: 25, dense_segment: 25, rollup: 4, burst: 25, ..Limits::default() };
    let store = Store::open_with(dir.path(), limits).await.unwrap();
    let [level, _] = signals(&store).await;
    // Each value stays for seven readings; every fourth part is sealed.
    for part in 0..10 {
        record(&store, (0..35).map(|i| reading(level, part * 35 + i, ((part * 35 + i) / 7) as i8)).collect()).await;
        if part % 4 == 0 {
            store.quiet().await;
        }
    }
    let mut from = 0;
    let mut values = Vec::new();
    loop {
        let asked = page(level, Order::Ascending, (from, 1_000), 13);
        let (stays, is_more) = store.stays(asked, StayOf::Value).await.unwrap();
        assert!(stays.iter().all(|stay| stay.count == 7 && stay.last - stay.first == 6 * SECOND));
        values.extend(stays.iter().map(|stay| stay.value.as_number().unwrap()));
        if !is_more {
            break;
        }
        from += 13 * 7;
    }
    assert_eq!(values, (0..50).map(f64::from).collect::<Vec<_>>());
    let (quality, _) = store.stays(page(level, Order::Ascending, (0, 1_000), 10), StayOf::Quality).await.unwrap();
    assert_eq!(quality.iter().map(|stay| stay.count).collect::<Vec<_>>(), [350], "all of them are good");
    store.close().await;
}
