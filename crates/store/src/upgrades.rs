//! Databases of every earlier schema are brought up to date with everything that was in them.

use crate::schema::{NEWEST, migrator};
use crate::{DATABASE_FILE, Limits, NewDevice, NewSignal, NewSite, Order, Page, Store};
use lantern_core::{Moment, Reading, SignalId, Value};
use sqlx::sqlite::{SqliteConnectOptions, SqliteConnection};
use sqlx::{AssertSqlSafe, Connection, Row};
use std::path::Path;
use std::sync::Arc;

const SECOND: i64 = 1_000_000;
const COUNT: i64 = 500;
/// The schema with which segments came.
const SEGMENTS: i64 = 4;

fn at(second: i64) -> Moment {
    Moment::from_micros(second * SECOND).unwrap()
}

/// A store as it is today, with readings in segments, summaries and the journal.
async fn filled(dir: &Path) -> SignalId {
    let limits = Limits { segment: 60, dense_segment: 240, rollup: 2, recent: 40, entries: 10, ..Limits::default() };
    let store = Store::open_with(dir, limits).await.unwrap();
    let new = NewSite { code: "marlbeck", name: "Marlbeck", zone: "UTC", position: None };
    let site = store.add_site(new, at(0)).await.unwrap().id;
    let new = NewDevice { code: "tower", name: "Tower", interval_s: 1.0, ..NewDevice::default() };
    let device = store.add_device(site, new, at(0)).await.unwrap().id;
    let level = store.add_signal(device, NewSignal::number("level", Some("m")), at(0)).await.unwrap().id;
    for second in 0..COUNT {
        let reading = Reading::good(level, at(second), Value::Number(second as f64));
        store.record(Arc::new(vec![reading]), at(second)).await.unwrap();
    }
    store.quiet().await;
    store.close().await;
    level
}

async fn open(file: &Path) -> SqliteConnection {
    let options = SqliteConnectOptions::new().filename(file).create_if_missing(true).foreign_keys(false);
    SqliteConnection::connect_with(&options).await.unwrap()
}

async fn columns(connection: &mut SqliteConnection, schema: &str, table: &str) -> Vec<String> {
    let sql = format!("SELECT name FROM pragma_table_info('{table}', '{schema}')");
    sqlx::query_scalar(AssertSqlSafe(sql)).fetch_all(connection).await.unwrap()
}

/// A database as the service of a schema would have it with what is in `newest`. Before there were
/// segments each reading was a row.
async fn as_it_was(version: i64, newest: &Path, dir: &Path, level: SignalId) {
    let mut connection = open(&dir.join(DATABASE_FILE)).await;
    let earlier = migrator().iter().filter(|one| one.version <= version).cloned().collect();
    sqlx::migrate::Migrator::with_migrations(earlier).run_direct(None, &mut connection, false).await.unwrap();
    let attach = format!("ATTACH '{}' AS newest", newest.join(DATABASE_FILE).display());
    sqlx::raw_sql(AssertSqlSafe(attach)).execute(&mut connection).await.unwrap();
    let tables = sqlx::query("SELECT name FROM newest.sqlite_schema WHERE type = 'table' AND name NOT LIKE '\\_%' ESCAPE '\\' AND name NOT LIKE 'sqlite%'")
        .fetch_all(&mut connection)
        .await
        .unwrap();
    for table in tables {
        let table: String = table.get(0);
        let old = columns(&mut connection, "main", &table).await;
        let new = columns(&mut connection, "newest", &table).await;
        let both: Vec<String> = old.into_iter().filter(|name| new.contains(name)).collect();
        // People and what is theirs have tests of their own: their columns changed their meaning.
        if both.is_empty() || ["person", "session"].contains(&table.as_str()) {
            continue;
        }
        let both = both.join(", ");
        let copy = format!("INSERT INTO main.{table} ({both}) SELECT {both} FROM newest.{table}");
        sqlx::raw_sql(AssertSqlSafe(copy)).execute(&mut connection).await.unwrap();
    }
    if version >= SEGMENTS {
        // The service of that schema had turned rows into segments when it was first started.
        sqlx::raw_sql("DROP TABLE reading").execute(&mut connection).await.unwrap();
    } else {
        for second in 0..COUNT {
            let sql = format!("INSERT INTO reading VALUES ({}, {}, {second}.0)", level.0, second * SECOND);
            sqlx::raw_sql(AssertSqlSafe(sql)).execute(&mut connection).await.unwrap();
        }
    }
    connection.close().await.unwrap();
}

#[tokio::test]
async fn a_database_of_every_earlier_schema_comes_up_with_all_readings() {
    let newest = tempfile::tempdir().unwrap();
    let level = filled(newest.path()).await;
    for version in 1..NEWEST {
        let dir = tempfile::tempdir().unwrap();
        as_it_was(version, newest.path(), dir.path(), level).await;
        let store = Store::open(dir.path())
            .await
            .unwrap_or_else(|error| panic!("schema {version}: {}", crate::with_sources(&error)));
        let page = Page { signal: level, from: at(0), to: at(COUNT), limit: 1_000, order: Order::Ascending };
        let readings = store.readings(page).await.unwrap();
        let expected: Vec<_> = (0..COUNT).map(|second| (at(second), Value::Number(second as f64))).collect();
        assert_eq!(readings, expected, "schema {version}");
        let tower = store.device(lantern_core::SiteId(1), "tower").await.unwrap();
        assert_eq!(tower.name, "Tower", "schema {version}");
        // It goes on: another reading is taken, and the checks find nothing.
        let next = Reading::good(level, at(COUNT), Value::Number(0.0));
        assert_eq!(store.record(Arc::new(vec![next]), at(COUNT)).await.unwrap().new, 1);
        store.close().await;
        drop(store);
        let checked = crate::check_directory(dir.path(), false, |_, _| {}).await.unwrap();
        assert_eq!(checked.found, 0, "schema {version}: {checked:?}");
        let copy = dir.path().join(format!("{DATABASE_FILE}.schema-{version}"));
        assert!(copy.metadata().unwrap().len() > 0, "a copy of schema {version} is kept");
    }
}
