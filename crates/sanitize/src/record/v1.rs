//! Records of version 1, which knew one hold on the drive and one overwriting, brought into the present shape.

use crate::plan::NamedPasses;
use serde_json::{Map, Value, json};

/// Name of the old format.
pub(super) const FORMAT: &str = "jurex-record/1";

/// The record in the present shape; what is not in the old one is taken as not known. `None`: not of the old shape.
pub(super) fn to_present(mut record: Value) -> Option<Value> {
    let started = record.get("started")?.clone();
    let ended = record.get("ended")?.clone();
    let verified = record.get("method")?.get("verification")?.as_str()? != "none";
    let named = NamedPasses::of(record.get("method")?.get("notation")?.as_str()?)?;
    let old = record.get("evidence")?.as_object()?.clone();
    let evidence = evidence(&old, &started, &ended, &named, verified)?;
    let fields = record.as_object_mut()?;
    fields.insert("evidence".into(), evidence);
    fields.insert("format".into(), super::FORMAT.into());
    Some(record)
}

fn evidence(old: &Map<String, Value>, started: &Value, ended: &Value, named: &NamedPasses, verified: bool) -> Option<Value> {
    let mut passes = old.get("passes")?.as_array()?.clone();
    let planned = old.get("planned_passes")?.as_u64()? as usize;
    for (pass, meant) in passes.iter_mut().zip(named.meant_complements()) {
        let pass = pass.as_object_mut()?;
        pass.insert("session".into(), json!(0));
        // The old rules took every pair for meant; which is, its passes say.
        pass.insert("complement_of_before".into(), json!(meant));
        if let Some(read) = pass.get_mut("read_back").and_then(Value::as_object_mut) {
            read.insert("session".into(), json!(0));
        }
    }
    let begun = passes.first().and_then(|p| p.get("started")).unwrap_or(started).clone();
    let mut stages = vec![];
    let check = match passes.last_mut().and_then(Value::as_object_mut) {
        Some(last) if old.get("passes")?.as_array()?.len() == planned => {
            let over = last.get("ended").cloned();
            last.remove("read_back").map(|read| (read, over))
        }
        _ => None,
    };
    let range = old.get("range")?;
    let laid = match &check {
        Some((_, over)) => over.clone().unwrap_or_else(|| ended.clone()),
        None => passes.last().and_then(|p| p.get("ended")).cloned().unwrap_or(Value::Null),
    };
    if !passes.is_empty() {
        let what = json!({"stage": "overwritten", "range": range, "planned_passes": planned, "passes": passes});
        stages.push(json!({"started": begun, "ended": laid, "what": what}));
    }
    if let Some((read, over)) = check {
        let mut what = read.as_object()?.clone();
        what.insert("stage".into(), "checked".into());
        what.insert("range".into(), range.clone());
        what.insert("expect".into(), json!({"what": "last-pass"}));
        stages.push(json!({"started": begun, "ended": over, "what": what}));
    }
    let planned = if verified { json!(["overwrite", "check"]) } else { json!(["overwrite"]) };
    let session = json!({
        "drive": drive(old.get("drive")?)?,
        "access": {"way": "unknown", "exclusive": true},
        "opened": started,
        "closed": ended,
        "micros": "0",
    });
    Some(json!({"sessions": [session], "planned": planned, "stages": stages, "ended": old.get("ended")?}))
}

fn drive(old: &Value) -> Option<Value> {
    let mut drive = old.as_object()?.clone();
    let unit = drive.remove("identity")?;
    drive.insert("unit".into(), unit);
    let was_asked = drive.get("hidden")?.get("state")?.as_str()? != "not-asked";
    let speaks = match drive.get("bus")?.as_str()? {
        "sata" => json!({"speaks": "ata"}),
        "usb" if was_asked => json!({"speaks": "ata"}),
        "sas" | "usb" => json!({"speaks": "scsi"}),
        "nvme" => json!({"speaks": "nvme", "namespace": 1}),
        "mmc" => json!({"speaks": "mmc"}),
        _ => json!({"speaks": "block"}),
    };
    drive.insert("protocol".into(), speaks);
    Some(Value::Object(drive))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_drive_spoke_follows_from_its_bus_and_from_whether_it_could_be_asked() {
        let speaks = |bus: &str, hidden: &str| {
            let old = json!({"identity": {"serial": "FM0500T3XW8D"}, "bus": bus, "hidden": {"state": hidden}});
            let drive = drive(&old).unwrap();
            assert_eq!(drive["unit"]["serial"], "FM0500T3XW8D");
            drive["protocol"]["speaks"].as_str().unwrap().to_string()
        };
        assert_eq!((speaks("usb", "none"), speaks("usb", "not-asked")), ("ata".into(), "scsi".into()));
        let all = ["sata", "sas", "nvme", "mmc", "virtio"].map(|bus| speaks(bus, "not-asked"));
        assert_eq!(all, ["ata", "scsi", "nvme", "mmc", "block"]);
    }

    #[test]
    fn a_check_is_the_last_passs_reading_back_once_all_were_laid() {
        let checks = |passes: usize, planned: u64| {
            let pass = json!({"started": "a", "ended": "b", "read_back": {"read": []}});
            let old = json!({
                "passes": vec![pass; passes], "planned_passes": planned, "range": {}, "ended": {"how": "finished"},
                "drive": {"identity": {}, "bus": "sata", "hidden": {"state": "none"}},
            });
            let evidence =
                evidence(old.as_object().unwrap(), &json!("a"), &json!("b"), &NamedPasses::of("00 | ~").unwrap(), true).unwrap();
            let stages = evidence["stages"].as_array().unwrap();
            stages.iter().map(|s| s["what"]["stage"].as_str().unwrap().to_string()).collect::<Vec<_>>()
        };
        assert_eq!(checks(2, 2), ["overwritten", "checked"]);
        assert_eq!((checks(1, 2), checks(0, 0)), (vec!["overwritten".into()], vec![]));
    }
}
