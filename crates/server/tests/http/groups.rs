//! Groups: members over time, numbers, a pasted squad, lists out and in.

use reqwest::Method;
use serde_json::{Value, json};
use uuid::Uuid;

use crate::app::{Browser, TestApp};

async fn group(coach: &Browser, name: &str) -> String {
    let id = Uuid::now_v7();
    coach.ok(Method::PUT, &format!("/groups/{id}"), json!({ "name": name })).await;
    id.to_string()
}

fn names(page: &Value, key: &str) -> Vec<String> {
    page[key].as_array().unwrap().iter().map(|m| m["name"].as_str().unwrap().to_owned()).collect()
}

#[tokio::test]
async fn members_join_wear_one_number_each_and_leave_with_their_history() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let squad = group(&coach, "Sabre squad").await;
    let (noor, teo) = (coach.adds("Noor Haddane").await, coach.adds("Teo Marrable").await);
    let members = format!("/groups/{squad}/members");
    let joins = |id: Uuid, person: &str, number: &str| json!({ "id": id, "person": person, "number": number, "playing_group": "seniors" });
    let key = Uuid::now_v7();
    for _ in 0..2 {
        let page = coach.ok(Method::POST, &members, joins(key, &noor, "#7")).await;
        assert_eq!((names(&page, "members"), &page["members"][0]["number"]), (vec!["Noor Haddane".to_owned()], &json!(7)), "twice is once");
    }
    // A runner twice, a number given to two, a number that is none: each its own answer, and nothing of it is stored.
    for (form, field, words) in [
        (joins(Uuid::now_v7(), &noor, ""), "person", "Noor Haddane is in this group already."),
        (joins(Uuid::now_v7(), &teo, "7"), "number", "Number 7 is Noor Haddane’s. Choose another one for Teo Marrable."),
        (joins(Uuid::now_v7(), &teo, "seven"), "number", "“seven” isn’t a shirt number. Type 0 to 999, or nothing."),
    ] {
        let (status, answer) = coach.send(Method::POST, &members, form).await;
        assert_eq!((status.as_u16(), answer["field"].as_str(), answer["message"].as_str()), (422, Some(field), Some(words)));
    }
    coach.ok(Method::POST, &members, joins(Uuid::now_v7(), &teo, "")).await;
    let page = coach.get(&format!("/groups/{squad}")).await;
    assert_eq!(names(&page, "members"), ["Noor Haddane", "Teo Marrable"], "who has no number comes after");
    let of_teo = format!("{members}/{}", page["members"][1]["id"].as_str().unwrap());
    assert_eq!(coach.refused(Method::PUT, &of_teo, json!({ "number": "7", "playing_group": "" })).await.0, 422);
    let page = coach.ok(Method::PUT, &of_teo, json!({ "number": "3", "playing_group": "juniors" })).await;
    assert_eq!(
        (names(&page, "members"), &page["playing_groups"]),
        (vec!["Teo Marrable".into(), "Noor Haddane".into()], &json!(["juniors", "seniors"]))
    );
    // Who leaves stays in the history, gives the number free, and may come back.
    let page = coach.ok(Method::DELETE, &of_teo, Value::Null).await;
    assert_eq!((names(&page, "members"), names(&page, "former")), (vec!["Noor Haddane".to_owned()], vec!["Teo Marrable".to_owned()]));
    let page = coach.ok(Method::POST, &members, joins(Uuid::now_v7(), &teo, "3")).await;
    assert_eq!((page["members"].as_array().unwrap().len(), page["former"].as_array().unwrap().len()), (2, 1));
    // Search and the client's page know the group; a closed one leaves the lists.
    assert_eq!(coach.get("/search?q=sabre").await["groups"][0]["members"], 2);
    assert_eq!(coach.get(&format!("/people/{noor}")).await["groups"][0]["name"], "Sabre squad");
    let twin = coach.refused(Method::PUT, &format!("/groups/{}", Uuid::now_v7()), json!({ "name": "sabre  SQUAD" })).await;
    assert_eq!((twin.0, twin.2.as_deref()), (422, Some("name")));
    coach.ok(Method::DELETE, &format!("/groups/{squad}"), Value::Null).await;
    assert_eq!((coach.get("/groups").await, coach.get(&format!("/people/{noor}")).await["groups"].clone()), (json!([]), json!([])));
    assert_eq!(coach.refused(Method::GET, &format!("/groups/{squad}"), Value::Null).await.0, 404);
}

#[tokio::test]
async fn a_squad_is_pasted_with_its_numbers_and_its_export_pastes_again() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let squad = group(&coach, "Sabre squad").await;
    let known = coach.adds("Noor Haddane").await;
    let text = "name;birth date;sex;playing group;number;height;mass\nHaddane, Noor;;;seniors;7;;\nEdda Lund;28.2.2001;f;juniors;7;168,5 cm;61\nJonte Vik;3.5.2001;m;juniors;12x;;\n";
    let read = |body: Value| coach.ok(Method::POST, "/people/list/read", body);
    let found = read(json!({ "text": text, "units": "metric", "group": squad })).await;
    let faults =
        |k: usize| found["lines"][k]["faults"].as_array().unwrap().iter().map(|f| f["field"].as_str().unwrap()).collect::<Vec<_>>();
    assert_eq!((faults(0), faults(2)), (vec!["born"], vec!["number"]));
    assert_eq!(found["lines"][0]["near"][0]["in_group"], false);
    let mut lines: Vec<Value> = found["lines"].as_array().unwrap().clone();
    for line in &mut lines {
        line["id"] = json!(Uuid::now_v7());
    }
    lines[0]["known"] = json!(known);
    lines[2]["number"] = json!("12");
    let add = |lines: &[Value]| json!({ "lines": lines, "units": "metric", "group": squad });
    let (status, answer) = coach.send(Method::POST, "/people/list", add(&lines)).await;
    assert_eq!((status.as_u16(), answer["field"].as_str()), (422, Some("number")), "7 is worn twice: {answer}");
    assert_eq!(coach.get("/people").await["total"], 1, "nobody came in");
    lines[1]["number"] = json!("8");
    for _ in 0..2 {
        assert_eq!(coach.ok(Method::POST, "/people/list", add(&lines)).await["added"], 3);
    }
    let page = coach.get(&format!("/groups/{squad}")).await;
    assert_eq!(names(&page, "members"), ["Noor Haddane", "Edda Lund", "Jonte Vik"]);
    assert_eq!(coach.get("/people").await["total"], 3, "who was known is not added again");
    // The list that goes out pastes into another group as it is.
    let csv = coach.raw(Method::GET, &format!("/groups/{squad}/people.csv")).await.text().await.unwrap();
    assert!(
        csv.starts_with("name,birth date,sex,height,mass,playing group,number\nEdda Lund,2001-02-28,female,168.5 cm,61 kg,juniors,8\n"),
        "{csv}"
    );
    let again = read(json!({ "text": csv, "units": "metric" })).await;
    assert!(
        again["lines"].as_array().unwrap().iter().all(|l| l["faults"] == json!([]) && l["near"].as_array().unwrap().len() == 1),
        "{again}"
    );
}
