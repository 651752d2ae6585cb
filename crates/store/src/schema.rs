//! The database's schema: its migrations, in order.
//!
//! A migration that has been released is never changed. The database keeps a checksum of
//! each that it has seen, and a changed one keeps the service from starting.

use sqlx::SqlSafeStr;
use sqlx::migrate::{Migration, MigrationType, Migrator};
use std::borrow::Cow;

/// Version, name and statements of each migration.
const MIGRATIONS: [(i64, &str, &str); 18] = [
    (1, "foundation", include_str!("../migrations/0001_foundation.sql")),
    (2, "setting up", include_str!("../migrations/0002_setting_up.sql")),
    (3, "mqtt commands links", include_str!("../migrations/0003_mqtt_commands_links.sql")),
    (4, "series", include_str!("../migrations/0004_series.sql")),
    (5, "meaning", include_str!("../migrations/0005_meaning.sql")),
    (6, "rollups", include_str!("../migrations/0006_rollups.sql")),
    (7, "positions", include_str!("../migrations/0007_positions.sql")),
    (8, "places and intervals", include_str!("../migrations/0008_places_and_intervals.sql")),
    (9, "decimal marks", include_str!("../migrations/0009_decimal_marks.sql")),
    (10, "notes", include_str!("../migrations/0010_notes.sql")),
    (11, "traffic", include_str!("../migrations/0011_traffic.sql")),
    (12, "views", include_str!("../migrations/0012_views.sql")),
    (13, "people", include_str!("../migrations/0013_people.sql")),
    (14, "lineage", include_str!("../migrations/0014_lineage.sql")),
    (15, "unread entries", include_str!("../migrations/0015_unread_entries.sql")),
    (16, "alarms", include_str!("../migrations/0016_alarms.sql")),
    (17, "callouts", include_str!("../migrations/0017_callouts.sql")),
    (18, "alarms that count", include_str!("../migrations/0018_alarms_that_count.sql")),
];

/// The newest version this service knows.
pub(crate) const NEWEST: i64 = MIGRATIONS[MIGRATIONS.len() - 1].0;

/// Brings a database from any earlier version to [`NEWEST`].
pub(crate) fn migrator() -> Migrator {
    let migration = |(version, name, statements): (i64, &'static str, &'static str)| {
        let kind = MigrationType::Simple;
        Migration::new(version, Cow::Borrowed(name), kind, statements.into_sql_str(), false)
    };
    Migrator::with_migrations(MIGRATIONS.into_iter().map(migration).collect())
}

#[cfg(test)]
mod tests {
    use super::{MIGRATIONS, NEWEST, migrator};

    #[test]
    fn every_file_is_listed_under_its_own_version() {
        let mut files: Vec<String> = std::fs::read_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/migrations"))
            .unwrap()
            .map(|entry| entry.unwrap().file_name().into_string().unwrap())
            .collect();
        files.sort();
        let listed = MIGRATIONS.map(|(version, name, _)| format!("{version:04}_{}.sql", name.replace(' ', "_")));
        assert_eq!(files, listed);
        assert_eq!(NEWEST, MIGRATIONS.len() as i64);
    }

    #[test]
    fn released_migrations_are_as_they_were() {
        let begins = migrator().iter().map(|one| one.checksum[..4].to_vec()).collect::<Vec<_>>();
        let released: [[u8; 4]; 18] = [
            [0xad, 0x2e, 0x71, 0x3d],
            [0x8b, 0xe5, 0x20, 0x8a],
            [0xc9, 0xc3, 0x05, 0x52],
            [0x65, 0xab, 0xda, 0xa7],
            [0x21, 0xcf, 0x4b, 0x7b],
            [0xa9, 0x8b, 0x57, 0x7b],
            [0x94, 0x1f, 0xf5, 0x61],
            [0x1a, 0x15, 0xcd, 0x21],
            [0xc9, 0xe5, 0x56, 0xc8],
            [0xbf, 0xa3, 0x31, 0xbb],
            [0x5f, 0xcc, 0xe1, 0x9d],
            [0xfb, 0x34, 0x9f, 0x4e],
            [0x09, 0xfc, 0x49, 0x43],
            [0xb1, 0x9c, 0xcc, 0xda],
            [0x98, 0x92, 0x57, 0x7d],
            [0x53, 0x9d, 0x64, 0x3e],
            [0xf8, 0x5c, 0xa3, 0x97],
            [0x68, 0xa4, 0x9a, 0x92],
        ];
        assert_eq!(begins, released.map(Vec::from));
    }

    #[tokio::test]
    async fn signals_and_their_names_outlive_the_coming_of_positions() {
        let pool = sqlx::SqlitePool::connect("sqlite::memory:").await.unwrap();
        let before = migrator().iter().filter(|one| one.version < 7).cloned().collect();
        sqlx::migrate::Migrator::with_migrations(before).run(&pool).await.unwrap();
        let filled = r#"
            INSERT INTO site (id, code, name, zone, created_at) VALUES (1, 's', 'S', 'UTC', 0);
            INSERT INTO device (id, site_id, code, name, note, interval_s, created_at) VALUES (1, 1, 'd', 'D', '', 60, 0);
            INSERT INTO signal (id, device_id, code, name, note, value_type, created_at, meaning) VALUES
                (1, 1, 'lat', 'L', '', 'number', 0, '{"form":1,"document":{"screen":{"position":{"latitude":"lat"},"late_after_s":5}}}'),
                (2, 1, 'door', 'D', '', 'flag', 0, NULL),
                (3, 1, 'odd', 'O', '', NULL, 0, NULL);
            INSERT INTO signal_name (device_id, name, signal_id) VALUES (1, 'breite', 1);
        "#;
        sqlx::raw_sql(filled).execute(&pool).await.unwrap();
        migrator().run(&pool).await.unwrap();
        let kept: Vec<(String, Option<String>, Option<String>)> =
            sqlx::query_as("SELECT code, value_type, meaning FROM signal ORDER BY id").fetch_all(&pool).await.unwrap();
        let meaning = r#"{"form":1,"document":{"screen":{"late_after_s":5}}}"#;
        let text = |text: &str| Some(text.to_owned());
        assert_eq!(
            kept,
            [
                ("lat".to_owned(), text("number"), text(meaning)),
                ("door".to_owned(), text("flag"), None),
                ("odd".to_owned(), None, None),
            ]
        );
        let arrivals: i64 = sqlx::query_scalar("SELECT count(*) FROM arrival").fetch_one(&pool).await.unwrap();
        let names: (String, Option<String>) =
            sqlx::query_as("SELECT name, part FROM signal_name").fetch_one(&pool).await.unwrap();
        assert_eq!((arrivals, names), (1, ("breite".to_owned(), None)));
        let position = sqlx::query("UPDATE signal SET value_type = 'position' WHERE id = 3").execute(&pool).await;
        assert_eq!(position.unwrap().rows_affected(), 1);
    }

    /// People and their log-ins of a database from before there were roles by site.
    #[tokio::test]
    async fn people_keep_their_roles_and_log_ins_and_a_copy_is_kept() {
        let dir = tempfile::tempdir().unwrap();
        let file = dir.path().join(crate::DATABASE_FILE);
        let options = sqlx::sqlite::SqliteConnectOptions::new().filename(&file).create_if_missing(true);
        let pool = sqlx::SqlitePool::connect_with(options).await.unwrap();
        let before = migrator().iter().filter(|one| one.version < 13).cloned().collect();
        sqlx::migrate::Migrator::with_migrations(before).run(&pool).await.unwrap();
        let filled = r"
            INSERT INTO site (id, code, name, zone, created_at) VALUES (1, 's', 'S', 'UTC', 0), (2, 't', 'T', 'UTC', 0);
            INSERT INTO person (id, name, password_hash, role, created_at)
                VALUES (1, 'ann', 'x', 'owner', 0), (2, 'bob', 'y', 'viewer', 0);
            INSERT INTO session VALUES (x'01', 2, 'token', 0, 9000000000000000);
        ";
        sqlx::raw_sql(filled).execute(&pool).await.unwrap();
        pool.close().await;
        let store = crate::Store::open(dir.path()).await.unwrap();
        let ann = store.person_by_name("ann").await.unwrap();
        let bob = store.person_by_name("bob").await.unwrap();
        assert!(ann.is_administrator && !bob.is_administrator);
        let viewer = lantern_core::access::Role::Viewer;
        let joined = store.joined(bob.id, 10).await.unwrap();
        assert_eq!(joined.iter().map(|one| (one.site.0, one.role)).collect::<Vec<_>>(), [(1, viewer), (2, viewer)]);
        let now = lantern_core::Moment::from_micros(1).unwrap();
        let holder = store.holder(&[1], crate::SessionKind::Token, Some("s"), now).await.unwrap();
        assert_eq!((holder.person.name.as_str(), holder.role), ("bob", Some(viewer)));
        store.close().await;
        assert!(dir.path().join(format!("{}.schema-12", crate::DATABASE_FILE)).metadata().unwrap().len() > 0);
    }
}
