//! Notices that go out by mail and by webhook to real little servers on loopback, and what becomes of those that can't.

mod common;

use common::{Place, shown};
use std::fs;
use std::path::PathBuf;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// The servers, ended at the end.
struct Servers {
    child: Child,
    ports: serde_json::Value,
}

impl Drop for Servers {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// Starts them with a certificate for `localhost` in the place's folder; `None`, with a word on it, where that can't be.
fn servers(place: &Place) -> Option<Servers> {
    let (certificate, key) = (place.path("server.pem"), place.path("server.key"));
    let made = Command::new("openssl")
        .args([
            "req",
            "-x509",
            "-newkey",
            "ec",
            "-pkeyopt",
            "ec_paramgen_curve:P-256",
            "-nodes",
            "-days",
            "2",
            "-subj",
            "/CN=localhost",
        ])
        .args(["-addext", "subjectAltName=DNS:localhost,IP:127.0.0.1", "-addext", "basicConstraints=critical,CA:FALSE"])
        .args(["-out", shown(&certificate), "-keyout", shown(&key)])
        .stderr(Stdio::null())
        .status();
    if !made.is_ok_and(|s| s.success()) {
        common::not_run("no openssl");
        return None;
    }
    let script = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/servers.py");
    let folder = place.path("");
    let child = Command::new("/usr/bin/python3")
        .args([script, shown(&folder), shown(&certificate), shown(&key)])
        .stderr(Stdio::null())
        .spawn();
    let Ok(mut child) = child else {
        common::not_run("no Python");
        return None;
    };
    let began = Instant::now();
    loop {
        if let Ok(text) = fs::read_to_string(place.path("ports")) {
            return Some(Servers { child, ports: serde_json::from_str(&text).unwrap() });
        }
        let ended = child.try_wait().unwrap().is_some();
        if ended || began.elapsed() > Duration::from_secs(30) {
            let _ = child.kill();
            let _ = child.wait();
            common::not_run("the little servers do not start (python3-aiosmtpd is needed)");
            return None;
        }
        std::thread::sleep(Duration::from_millis(50));
    }
}

fn settings(place: &Place, text: &str) {
    fs::create_dir_all(place.path("home")).unwrap();
    fs::write(place.path("home/config.toml"), format!("bench = \"Bench 2\"\n{text}")).unwrap();
}

fn mail(place: &Place, servers: &Servers, security: &str, more: &str) -> String {
    let (port, trust) = (&servers.ports[security], place.path("server.pem"));
    format!(
        "[notice.mail]\nserver = \"localhost\"\nport = {port}\nsecurity = \"{security}\"\ntrust = {:?}\nfrom = \"bench@tern.example\"\n\
         to = [\"Records office <records@tern.example>\"]\n{more}\n",
        shown(&trust)
    )
}

#[test]
fn mail_goes_out_plain_by_starttls_with_login_and_by_tls() {
    let place = Place::new();
    let Some(servers) = servers(&place) else { return };
    let password = place.path("password");
    fs::write(&password, "ebb and flood\n").unwrap();
    let login = format!("login = \"bench\"\npassword_file = {:?}", shown(&password));
    for (security, more) in [("plain", ""), ("starttls", login.as_str()), ("tls", "")] {
        settings(&place, &mail(&place, &servers, security, more));
        place.jurex(&["notice", "test"]).expect(0, &["mail: it was taken"]);
        let text = fs::read_to_string(place.path(&format!("mail-{security}"))).unwrap();
        assert!(text.contains("Subject: A notice to try") && text.contains("records@tern.example"), "{text}");
    }
    fs::write(&password, "ebb\n").unwrap();
    settings(&place, &mail(&place, &servers, "starttls", &login));
    place.jurex(&["notice", "test"]).expect(3, &["✕ mail", "localhost did not take it"]);
    // A server that nobody vouches for is not written to.
    let stranger = mail(&place, &servers, "tls", "").lines().filter(|l| !l.starts_with("trust")).collect::<Vec<_>>().join("\n");
    settings(&place, &stranger);
    place.jurex(&["notice", "test"]).expect(3, &["✕ mail"]);
    settings(&place, "");
    place.jurex(&["notice", "test"]).expect(1, &["no [notice.mail] and no [notice.webhook]"]);
}

#[test]
fn the_end_of_a_job_is_posted_and_signed_and_what_can_not_go_out_waits_and_fails_nothing() {
    let place = Place::new();
    let Some(servers) = servers(&place) else { return };
    let secret = place.path("secret");
    fs::write(&secret, "gulls").unwrap();
    let hook = |path: &str| {
        let url = format!("https://localhost:{}{path}", servers.ports["web"]);
        let trust = place.path("server.pem");
        settings(
            &place,
            &format!("[notice.webhook]\nurl = {url:?}\nsecret_file = {:?}\ntrust = {:?}\n", shown(&secret), shown(&trust)),
        );
    };
    let image = place.image("tide.img", 1 << 20);
    let erase = |out: &str| {
        let folder = place.path(out);
        let asked = ["erase", shown(&image), "--passes", "00", "--label-check", "2048", "--out", shown(&folder), "--quiet"];
        place.jurex(&asked)
    };
    hook("/");
    erase("one").expect(0, &["Clear"]);
    let body = fs::read(place.path("posted")).unwrap();
    let told: serde_json::Value = serde_json::from_slice(&body).unwrap();
    assert_eq!((&told["kind"], &told["facts"]["outcome"], &told["bench"]), (&"job".into(), &"clear".into(), &"Bench 2".into()));
    let signed = fs::read_to_string(place.path("posted-signature")).unwrap();
    let by_openssl =
        Command::new("openssl").args(["dgst", "-sha256", "-hmac", "gulls"]).arg(place.path("posted")).output().unwrap();
    let by_openssl = String::from_utf8(by_openssl.stdout).unwrap();
    assert_eq!(signed.trim_start_matches("sha256="), by_openssl.trim().rsplit(' ').next().unwrap());
    place.jurex(&["notice", "show"]).expect(0, &["No notice waits."]);
    // The job ends as it ends, whatever becomes of the notice.
    for (path, why) in [("/broken", "it answered 500"), ("/elsewhere", "302")] {
        hook(path);
        erase(&path[1..]).expect(0, &["Clear", "not gone out, and will be tried again", why]);
    }
    place.jurex(&["notice", "show"]).expect(0, &["webhook", "tried 1 times"]);
    let waiting: Vec<PathBuf> = fs::read_dir(place.path("home/notices")).unwrap().flatten().map(|f| f.path()).collect();
    assert_eq!(waiting.len(), 2);
    // Once their time has come and the server is well they go out.
    hook("/");
    for file in &waiting {
        let mut text: serde_json::Value = serde_json::from_str(&fs::read_to_string(file).unwrap()).unwrap();
        text["next"] = "2020-01-01T00:00:00Z".into();
        fs::write(file, text.to_string()).unwrap();
    }
    place.jurex(&["notice", "send"]).expect(0, &["2 notices went out"]);
    place.jurex(&["notice", "show"]).expect(0, &["No notice waits."]);
}
