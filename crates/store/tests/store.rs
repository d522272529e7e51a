//! The store by itself: whose rows are whose, a database of every earlier version that migrates, and lists page by page.
//!
//! The databases are made in the cluster that `IMPULSO_TEST_OWNER_URL` and `IMPULSO_TEST_APP_URL` name; `script/test` starts one.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use std::collections::BTreeSet;

use impulso_core::units::Units;
use impulso_store::{
    Error, PersonId, PracticeId, Store,
    accounts::{self, NewCoach, NewPractice},
    migrate,
    people::{self, Profile},
    versions,
};
use sqlx::{Connection, Executor, PgConnection};
use uuid::Uuid;

struct Database {
    owner_url: String,
    app_url: String,
}

impl Database {
    /// One with nothing in it.
    async fn empty() -> Self {
        let url = |key: &str| std::env::var(key).expect("the test cluster's address; script/test sets it");
        let (owner, app) = (url("IMPULSO_TEST_OWNER_URL"), url("IMPULSO_TEST_APP_URL"));
        let name = format!("s_{}", Uuid::now_v7().simple());
        let of = |url: &str| format!("{}/{name}", url.rsplit_once('/').unwrap().0);
        let made = Self { owner_url: of(&owner), app_url: of(&app) };
        PgConnection::connect(&owner).await.unwrap().execute(sqlx::AssertSqlSafe(format!("create database {name}"))).await.unwrap();
        made
    }

    async fn migrated() -> Self {
        let empty = Self::empty().await;
        migrate(&empty.owner_url, None).await.unwrap();
        empty
    }

    fn store(&self) -> Store {
        Store::connect_lazy(&self.app_url).unwrap()
    }

    async fn owner(&self) -> PgConnection {
        PgConnection::connect(&self.owner_url).await.unwrap()
    }
}

async fn practice(store: &Store, name: &str) -> PracticeId {
    let email = format!("{}@example.org", name.to_lowercase());
    let coach = NewCoach { name: "Ada Coach".into(), email, password_hash: "$argon2id$none".into() };
    let new = NewPractice { name: name.into(), time_zone: "UTC".into(), is_demo: false, coach };
    accounts::found(store, &new).await.unwrap().0
}

fn profile(name: &str) -> Profile {
    Profile {
        name: name.into(),
        born: "1980-02-01".parse().unwrap(),
        sex: None,
        units: Units::Metric,
        height: None,
        mass: None,
        occupation: None,
        goal: None,
        medicines: None,
        rate_limiting_drug: false,
        notes: None,
    }
}

#[tokio::test]
async fn a_practice_sees_and_changes_its_own_rows_alone() {
    let database = Database::migrated().await;
    let store = database.store();
    let (ours, theirs) = (practice(&store, "Ours").await, practice(&store, "Theirs").await);
    let id = PersonId::new();
    let mut scope = store.scope(theirs).await.unwrap();
    people::add(&mut scope, id, &profile("Rurik Dane")).await.unwrap();
    scope.commit().await.unwrap();

    let mut scope = store.scope(ours).await.unwrap();
    assert!(matches!(people::get(&mut scope, id).await, Err(Error::NotFound)));
    assert!(people::update(&mut scope, id, 1, &profile("Changed")).await.is_err());
    assert!(people::list(&mut scope, "", None, 50).await.unwrap().is_empty());
    assert_eq!(people::count(&mut scope).await.unwrap(), 0);
    drop(scope);
    let mut scope = store.scope(theirs).await.unwrap();
    assert_eq!(people::get(&mut scope, id).await.unwrap().profile.name, "Rurik Dane");
}

#[tokio::test]
async fn what_is_not_committed_is_not_there() {
    let database = Database::migrated().await;
    let store = database.store();
    let ours = practice(&store, "Ours").await;
    let mut scope = store.scope(ours).await.unwrap();
    people::add(&mut scope, PersonId::new(), &profile("Rurik Dane")).await.unwrap();
    drop(scope);
    assert_eq!(people::count(&mut store.scope(ours).await.unwrap()).await.unwrap(), 0);
}

#[tokio::test]
async fn every_table_that_names_a_practice_is_held_to_it_by_the_database() {
    let database = Database::migrated().await;
    let mut owner = database.owner().await;
    let open: Vec<String> = sqlx::query_scalar(
        "select c.relname::text from pg_class c join pg_namespace n on n.oid = c.relnamespace
         where n.nspname = 'public' and c.relkind = 'r' and not c.relrowsecurity
           and exists (select from pg_attribute a where a.attrelid = c.oid and a.attname = 'practice_id' and not a.attisdropped)",
    )
    .fetch_all(&mut owner)
    .await
    .unwrap();
    assert_eq!(open, Vec::<String>::new());
    let owned: i64 = sqlx::query_scalar("select count(*) from pg_class c join pg_roles r on r.oid = c.relowner where r.rolname = $1")
        .bind(database.app_url.split("//").nth(1).unwrap().split([':', '@']).next().unwrap())
        .fetch_one(&mut owner)
        .await
        .unwrap();
    assert_eq!(owned, 0, "the application's role owns no table");
}

#[tokio::test]
async fn a_database_of_every_earlier_version_comes_up_to_date_with_its_people() {
    let all = versions();
    for version in &all[..all.len() - 1] {
        let database = Database::empty().await;
        migrate(&database.owner_url, Some(*version)).await.unwrap();
        let (practice, person) = (Uuid::now_v7(), PersonId::new());
        let mut owner = database.owner().await;
        sqlx::query("insert into practices (id, name, time_zone) values ($1, 'Ours', 'UTC')")
            .bind(practice)
            .execute(&mut owner)
            .await
            .unwrap();
        let person_of_then = "insert into people (id, practice_id, name, name_key, born, units, mass_kg, mass_typed)
                              values ($1, $2, 'Rurik Dane', 'rurik dane', '1974-04-02', 'imperial', 82.5, '181.9 lb')";
        sqlx::query(person_of_then).bind(person.0).bind(practice).execute(&mut owner).await.unwrap();

        migrate(&database.owner_url, None).await.unwrap();
        migrate(&database.owner_url, None).await.unwrap();
        let mut scope = database.store().scope(PracticeId(practice)).await.unwrap();
        let found = people::get(&mut scope, person).await.unwrap().profile;
        assert_eq!((found.name.as_str(), found.units), ("Rurik Dane", Units::Imperial), "{version}");
        assert_eq!(found.mass.map(|(mass, typed)| (mass.value(), typed)), Some((82.5, "181.9 lb".into())), "{version}");
    }
}

#[tokio::test]
async fn a_list_page_by_page_names_everybody_once_in_order() {
    let database = Database::migrated().await;
    let store = database.store();
    let ours = practice(&store, "Ours").await;
    let mut scope = store.scope(ours).await.unwrap();
    // Several of one name, so that a page ends among them.
    for k in 0..25 {
        people::add(&mut scope, PersonId::new(), &profile(["Åsa Lind", "Bo Lind", "Cleo Marsh"][k % 3])).await.unwrap();
    }
    for (query, all) in [("", 25), ("lind", 17), ("nobody", 0)] {
        let (mut seen, mut names, mut cursor) = (BTreeSet::new(), Vec::new(), None::<String>);
        loop {
            let page = people::list(&mut scope, query, cursor.as_deref(), 4).await.unwrap();
            assert!(page.len() <= 4);
            let Some(last) = page.last() else { break };
            cursor = Some(last.cursor.clone());
            for line in page {
                assert!(seen.insert(line.id), "{} twice", line.name);
                names.push(line.name);
            }
        }
        assert_eq!(seen.len(), all, "{query}");
        assert!(names.is_sorted_by_key(|n| n.replace('Å', "A")), "{names:?}");
    }
}
