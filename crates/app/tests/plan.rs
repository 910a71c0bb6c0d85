//! `jurex plan` and `jurex methods` as a script sees them.

mod common;

use common::{Answer, Place, json, shown};
use serde_json::Value;
use std::fs;

const ANSWERS: [&str; 6] = ["--sensitivity", "moderate", "--reuse", "yes", "--leaves", "no"];

fn plan(place: &Place, drive: &str, more: &[&str]) -> Answer {
    place.jurex(&[&["plan", drive], &ANSWERS[..], more].concat())
}

fn document(answer: Answer) -> Value {
    serde_json::from_str(&answer.expect(0, &[]).out).unwrap()
}

#[test]
fn every_bays_plan_keeps_to_its_schema() {
    let place = Place::new();
    let image = place.image("disk.img", 1 << 20);
    let drives = ["sim:1", "sim:2", "sim:4", "sim:5", "sim:7", "sim:9", shown(&image)];
    let mut answers = vec![];
    for drive in drives {
        let answer = document(plan(&place, drive, &["--json", "--no-sample"]));
        assert_eq!(answer["needed"], "clear");
        let ready = answer["ways"].as_array().unwrap().iter().filter(|w| w["availability"]["state"] == "ready");
        let ready: Vec<&str> = ready.map(|w| w["name"].as_str().unwrap()).collect();
        assert!(ready.contains(&"overwrite"), "{drive}: {ready:?}");
        // An image has no command of its own; the simulated drives have theirs.
        assert!(ready.len() == 1 || drive != shown(&image), "{drive}: {ready:?}");
        answers.push(answer);
    }
    let own = document(plan(&place, "sim:5", &["--json", "--no-sample", "--technique", "sanitize-block"]));
    assert_eq!((&own["plan"]["own"], &own["plan"]["earns"]), (&"sanitize-block".into(), &"purge".into()));
    answers.push(own);
    let sampled = document(plan(&place, shown(&image), &["--json"]));
    assert!(sampled["speed_sample"]["end"].as_f64().is_some_and(|s| s > 0.0));
    assert_eq!(fs::read(&image).unwrap().len(), 1 << 20);
    answers.push(sampled);
    // What is no plan is refused: a schema that takes everything would say nothing.
    answers.push(serde_json::json!({"ways": []}));
    let Some(faults) = common::faults("plan", &answers) else { return };
    let (none, plans) = faults.split_last().unwrap();
    assert!(plans.iter().all(Vec::is_empty) && !none.is_empty(), "{faults:?}");
}

#[test]
fn the_edition_of_the_rules_decides_and_is_named() {
    let place = Place::new();
    let sanitize_earns = |rules: &[&str]| {
        let answer = document(plan(&place, "sim:9", &[&["--json", "--no-sample"], rules].concat()));
        let way = answer["ways"].as_array().unwrap().iter().find(|w| w["name"] == "mmc-sanitize").unwrap().clone();
        (answer["rules"].as_str().unwrap().to_string(), way["claim"]["outcome"].as_str().unwrap().to_string())
    };
    // Rev. 1 asks for the maker's word as well.
    assert_eq!(sanitize_earns(&["--rules", "rev1"]), ("NIST SP 800-88 Rev. 1".into(), "not-sanitized".into()));
    fs::create_dir_all(place.path("home")).unwrap();
    fs::write(place.path("home/config.toml"), "rules = \"rev1\"\n").unwrap();
    assert_eq!(sanitize_earns(&[]).1, "not-sanitized");
    assert_eq!(sanitize_earns(&["--rules", "rev2"]).1, "purge");
    // The certificate says by which edition it was judged.
    let image = place.image("disk.img", 1 << 20);
    let out = place.path("out");
    let arguments = ["erase", shown(&image), "--method", "zeros", "--label-check", "2048", "--out", shown(&out)];
    place.jurex(&arguments).expect(0, &[]);
    assert_eq!(json(&place.only("out", ".record.json"))["rule_set"], "NIST SP 800-88 Rev. 1");
}

#[test]
fn contradictions_and_wrong_words_are_told_with_what_would_be_right() {
    let place = Place::new();
    place
        .jurex(&["plan", "sim:2", "--sensitivity", "high", "--reuse", "yes", "--leaves", "yes", "--no-sample"])
        .expect(0, &["needed    Destroy", "These answers contradict one another", "physical destruction"]);
    let refused: [(&[&str], &[&str]); 9] = [
        (&["--method", "zeroes"], &["no method `zeroes`", "zeros"]),
        (&["--passes", "00 | zz"], &["column 6", "\n       ^"]),
        (&["--passes", "00?", "--verify", "none"], &["leave out one of the two"]),
        (&["--from", "5", "--to", "3906248"], &["its last sector is 3775175"]),
        (&["--from", "9", "--to", "5"], &["holds no sector"]),
        (&["--partition", "9"], &["no partition 9", "has 4"]),
        (&["--rounds", "0"], &["--rounds"]),
        (&["--method", "gutmann-1996", "--rounds", "99"], &["at most 500"]),
        (&["--technique", "sanitise"], &["no technique `sanitise`", "sanitize-block"]),
    ];
    for (more, words) in refused {
        plan(&place, "sim:2", &[more, &["--no-sample"]].concat()).expect(1, words);
    }
    plan(&place, "sim:2", &["--partition", "2", "--no-sample"]).expect(0, &["A part never sanitizes a drive"]);
    place.jurex(&["plan", "sim:2", "--sensitivity", "low"]).expect(1, &["--reuse", "--leaves"]);
}

#[test]
fn a_policy_answers_for_the_drive_and_a_wrong_one_names_key_and_line() {
    let place = Place::new();
    let policies = place.path("home/policies");
    fs::create_dir_all(&policies).unwrap();
    let text = "sensitivity = \"low\"\nreuse = true\nleaves = false\n\n[magnetic]\nmethod = \"random\"\nverify = \"sampled\"\n";
    fs::write(policies.join("stations.toml"), text).unwrap();
    let of = |name: &str| place.jurex(&["plan", "sim:2", "--policy", name, "--no-sample", "--json"]);
    let answer = document(of("stations"));
    assert_eq!((&answer["plan"]["notation"], &answer["plan"]["verification"]), (&"random?".into(), &"sampled".into()));
    of("station").expect(1, &["saved are stations"]);
    fs::write(policies.join("odd.toml"), format!("{text}spead = 3\n")).unwrap();
    of("odd").expect(1, &["odd.toml", "line 8", "spead"]);
    fs::write(policies.join("odd.toml"), text.replace("\"random\"", "\"rando\"")).unwrap();
    of("odd").expect(1, &["no method `rando`", "random"]);
}

#[test]
fn own_methods_go_out_and_come_in_and_erase() {
    let (place, other) = (Place::new(), Place::new());
    let config = place.path("home/config.toml");
    fs::create_dir_all(place.path("home")).unwrap();
    fs::write(
        &config,
        "bench = \"2\" # by the window\n\n[[method]]\nname = \"quay-two\"\ntitle = \"Quay\"\npasses = \"11 | ~?\"\n",
    )
    .unwrap();
    place.jurex(&["methods"]).expect(0, &["quay-two", "your own", "gutmann-1996"]);
    let file = place.path("own.toml");
    place.jurex(&["methods", "--export", shown(&file)]).expect(0, &[]);
    place.jurex(&["methods", "--export", shown(&file)]).expect(1, &["already"]);
    other.jurex(&["methods", "--import", shown(&file)]).expect(0, &["quay-two"]);
    other.jurex(&["methods", "--import", shown(&file)]).expect(1, &["quay-two", "nothing was taken"]);
    let image = other.image("disk.img", 1 << 20);
    let out = other.path("out");
    let arguments = ["erase", shown(&image), "--method", "quay-two", "--blank", "--label-check", "2048", "--out", shown(&out)];
    other.jurex(&arguments).expect(0, &["Quay"]);
    assert!(fs::read(&image).unwrap().iter().all(|b| *b == 0), "the blank pass lies on top");
    assert_eq!(json(&other.only("out", ".record.json"))["evidence"]["stages"][0]["what"]["planned_passes"], 3);
    fs::write(&config, "[[method]]\nname = \"zeros\"\ntitle = \"Mine\"\npasses = \"FF\"\n").unwrap();
    place.jurex(&["methods"]).expect(1, &["`zeros` is a method of the library"]);
    fs::write(&config, "[[method]]\nname = \"a\"\ntitle = \"A\"\npasses = \"00 | zz\"\n").unwrap();
    place.jurex(&["methods"]).expect(1, &["line 4", "column 6"]);
}

#[test]
fn a_sample_is_read_back_and_its_seed_repeats_it() {
    let place = Place::new();
    let image = place.image("disk.img", 16 << 20);
    let out = place.path("out");
    let arguments =
        ["erase", shown(&image), "--method", "random", "--verify", "sampled", "--label-check", "32768", "--out", shown(&out)];
    place.jurex(&arguments).expect(0, &["Clear", "95 % confidence"]);
    let record = json(&place.only("out", ".record.json"));
    let read_back = &record["evidence"]["stages"][1]["what"];
    let seed = read_back["sampling"]["seed"].as_str().unwrap();
    let sampling = jurex_sanitize::sampling::Sampling::new(std::array::from_fn(|i| {
        u8::from_str_radix(&seed[2 * i..2 * i + 2], 16).unwrap()
    }));
    let places = sampling.places(jurex_pattern::units::Sectors::new(0, 32768));
    assert_eq!(serde_json::to_value(places).unwrap(), read_back["read"]);
    let count: u64 =
        read_back["read"].as_array().unwrap().iter().map(|s| s["count"].as_str().unwrap().parse::<u64>().unwrap()).sum();
    assert!((3277..5000).contains(&count), "{count}");
}
