//! `jurex erase DRIVE`: plan, guard, label check, erase, verify, record, certificate.

use super::bar::bar;
use super::{people, remark, say, say_json, seal};
use crate::cli::EraseArgs;
use indicatif::ProgressBar;
use jurex_device::native::ata::erase::PASSWORD;
use jurex_device::native::by_its_own_word;
use jurex_device::technique::Wants;
use jurex_engine::{Activity, Control, Event, JobControl, Progress};
use jurex_pattern::units::{duration, rate, size};
use jurex_sanitize::evidence::NativeEvidence;
use jurex_sanitize::plan::{Plan, Secret};
use jurex_sanitize::record::Record;
use jurex_station::app_paths::AppPaths;
use jurex_station::bench::{self, DriveSnapshot};
use jurex_station::clock::ThisMachine;
use jurex_station::config::Config;
use jurex_station::disk;
use jurex_station::exit::{self, Failure};
use jurex_station::release::MarkHere;
use jurex_station::schema::{JobBegins, JobResult, ToldLine};
use jurex_station::service::{FinishedJob, JobService, LabelCheck, Requirement, not_certified};
use jurex_station::signing::Signer;
use jurex_station::stop::StopOnSignal;
use jurex_station::work::{Finished, PreparedJob};
use jurex_station::{files, order};
use serde_json::json;
use std::io::Write;
use std::process::ExitCode;
use std::sync::Arc;

pub(crate) fn run(asked: &EraseArgs) -> Result<ExitCode, Failure> {
    let places = AppPaths::find()?;
    let config = Config::read(&places.config_file())?;
    let seen = bench::find(&asked.drive, &config.only, &places)?;
    let house = jurex_station::paper::house(&places)?;
    let mut service = JobService {
        ledger: places.ledger_for(seen.drive.simulated),
        habits: config.habits(),
        seal: Signer::none(house.clone()).into(),
        people: people(&places, &config),
        around: Arc::new(ThisMachine),
    };
    let _running = jurex_station::lock::shared(&service.ledger);
    let job = if asked.resume {
        let seen = after_its_own_erasure(asked, &seen, &service, &config, &places)?;
        go_on(asked, &seen, &service)?
    } else {
        begin(asked, &seen, &service, &config)?
    };
    // Nobody is asked for a passphrase before it is sure that there is a job.
    service.seal = seal(&places, &config, house, seen.drive.simulated).into();
    let mut control = StopOnSignal::install()?;
    let mut teller = EventTeller::new(asked, job.plan(), job.id().as_str());
    let ended = service.run(job, &mut control, &mut |event| teller.tell(event));
    teller.done();
    ended.doubts.iter().for_each(|said| remark(&format!("jurex: {said}")));
    let code = finish(asked, &seen, ended, &service);
    // The job is over and its papers are written: whatever becomes of the notice changes nothing of that.
    service.send_notices().iter().for_each(|said| remark(&format!("jurex: {said}")));
    code
}

/// A new job by what was asked for, its drive open.
fn begin(asked: &EraseArgs, seen: &DriveSnapshot, service: &JobService, config: &Config) -> Result<PreparedJob, Failure> {
    let papers = service.papers(config.papers(), &seen.drive)?;
    // What is guarded is said before what is wrong with the order, unless the order is the remedy.
    if asked.order.way.is_none() {
        service.guard(seen)?;
    }
    let by = &papers.technician.name;
    let mark = MarkHere::on(seen, &[]).and_then(|mark| mark.warning()).filter(|_| !asked.quiet && !asked.json);
    mark.iter().for_each(|said| remark(&format!("jurex: {said}")));
    let course = order::course(&asked.order, seen, &config.catalogue()?, (config.rules, config.mark), None, by)?;
    let plan = service.plan(seen, &course)?;
    check_out(asked)?;
    let requirement = Requirement::of(asked.order.accept_less);
    service.start(seen, &plan, LabelCheck::Typed(&asked.label_check), |plan| secret(asked, plan), (papers, requirement))
}

/// The PSID as it was given, or as it stands in a file; `-`: a person at the terminal is asked.
fn psid(asked: &EraseArgs) -> Result<Option<String>, Failure> {
    let Some(file) = &asked.psid_file else { return Ok(asked.psid.clone()) };
    let unread =
        |e: std::io::Error| Failure::Use(format!("the PSID can't be read from {}: {e}. Nothing was written", file.display()));
    if file.as_os_str() == "-" {
        return jurex_station::signing::ask_hidden_text("PSID, as printed on the label: ").map(Some).map_err(unread);
    }
    disk::read_small(file, disk::FEW_LINES).map(|text| Some(text.trim().to_string())).map_err(unread)
}

/// The PSID or password that the plan's way needs.
fn secret(asked: &EraseArgs, plan: &Plan) -> Result<Option<Secret>, Failure> {
    let missing = |what: &str| Err(Failure::Use(format!("{what}. Nothing was written")));
    match plan.own_erase().and_then(|own| own.technique.descriptor().wants) {
        Some(Wants::Psid) => match psid(asked)? {
            Some(psid) => Ok(Some(Secret::psid(&psid))),
            None => missing(
                "a revert needs the PSID printed on the drive's label: name it with --psid, or put it into a file (--psid-file; `-` asks for it)",
            ),
        },
        Some(Wants::AdminPassword) => match &asked.admin_password_file {
            Some(file) => {
                let text = disk::read_small(file, disk::FEW_LINES);
                let text = text.map_err(|e| Failure::Use(format!("cannot read {}: {e}. Nothing was written", file.display())))?;
                Ok(Some(Secret::password(text.trim_end_matches(['\n', '\r']))))
            }
            None => {
                missing("a key change needs the password of Admin1: put it into a file and name that with --admin-password-file")
            }
        },
        None if asked.psid.is_some() || asked.psid_file.is_some() || asked.admin_password_file.is_some() => {
            missing("--psid and --admin-password-file belong to the ways tcg-revert and tcg-key-change")
        }
        None => Ok(None),
    }
}

fn check_out(asked: &EraseArgs) -> Result<(), Failure> {
    files::check_folder(&asked.out).map_err(|e| Failure::Use(format!("{e}. Nothing was written to the drive")))
}

/// The drive once it is not at work on the erasure any more that a job of ours began: opening it would only wait. Nothing is
/// sent to it.
fn after_its_own_erasure(
    asked: &EraseArgs,
    seen: &DriveSnapshot,
    service: &JobService,
    config: &Config,
    places: &AppPaths,
) -> Result<DriveSnapshot, Failure> {
    let is_ours = service.unfinished_on(&seen.drive).ok().flatten();
    let Some(unfinished) = is_ours.filter(|u| u.checkpoint.intent().goes_on) else { return Ok(seen.clone()) };
    if seen.drive.geometry.sectors > 0 && !seen.erases_itself() {
        return Ok(seen.clone());
    }
    // What is typed is checked before anything is waited for.
    let label = seen.drive.label();
    if !label.matches(&asked.label_check) && unfinished.checkpoint.drive().geometry.sectors == seen.drive.geometry.sectors {
        return Ok(seen.clone());
    }
    let mut control = StopOnSignal::install()?;
    let mut told: Option<Option<u16>> = None;
    let mut tell = |progress: Option<u16>| {
        // A line for each tenth: it may take hours.
        let tenth = |p: Option<u16>| p.map(|p| u32::from(p) * 10 / 65536);
        if told.map(tenth) != Some(tenth(progress)) && !asked.quiet && !asked.json {
            let how_far = progress.map(|p| format!(" ({})", by_its_own_word(p))).unwrap_or_default();
            remark(&format!("{} is at work on the erasure that job {} began{how_far}.", seen.drive.called(), unfinished.job));
        }
        told = Some(progress);
    };
    let of = (asked.drive.as_os_str(), config.only.as_slice(), places);
    bench::once_idle(seen, of, &mut tell, &mut || control.poll() != Some(Control::Stop))?
        .ok_or_else(|| Failure::Stopped("it goes on by itself; nothing was sent to it. Resume the job later".into()))
}

/// The job of this very drive that was cut short, armed by its label anew.
fn go_on(asked: &EraseArgs, seen: &DriveSnapshot, service: &JobService) -> Result<PreparedJob, Failure> {
    let Some(unfinished) = service.unfinished_on(&seen.drive)? else {
        service.guard(seen)?;
        return Err(nothing_to_go_on_with(seen, service));
    };
    check_out(asked)?;
    service.resume(seen, unfinished, LabelCheck::Typed(&asked.label_check), |plan| secret(asked, plan))
}

/// Why no job can go on on this drive, and which ones could elsewhere.
fn nothing_to_go_on_with(seen: &DriveSnapshot, service: &JobService) -> Failure {
    let all = service.unfinished();
    let others: Vec<String> = all.iter().map(|u| format!("job {} on {}", u.job, u.checkpoint.drive().called())).collect();
    let called = seen.drive.called();
    if let Some((job, why)) = all.iter().find_map(|u| Some((u.job.clone(), u.checkpoint.why_not(&seen.drive)?))) {
        return Failure::Refused(format!(
            "job {job} was cut short here, but can't be resumed on {called}: {why}. Nothing was written"
        ));
    }
    let others = if others.is_empty() { "no job was cut short".into() } else { format!("cut short were {}", others.join(", ")) };
    Failure::Refused(format!("there is no job to resume on {called} ({others}). Nothing was written"))
}

/// Progress lines on a terminal, events as JSON, or nothing.
struct EventTeller {
    progress: Progress,
    bar: ProgressBar,
    json: bool,
    quiet: bool,
}

impl EventTeller {
    fn new(asked: &EraseArgs, plan: &Plan, job: &str) -> Self {
        let progress = Progress::of_plan(plan);
        let bar = bar("{wide_bar} {msg}", !asked.quiet && !asked.json);
        bar.set_length(plan.drive().geometry.bytes_of(progress.work().1));
        if asked.json {
            let expected = plan.expected().outcome();
            let begins = JobBegins { job, drive: &plan.drive().path, planned: expected };
            say_json(&json!(ToldLine::Begins(begins)));
        } else if !asked.quiet {
            let (drive, outcome) = (plan.drive().called(), plan.expected().outcome());
            remark(&format!("Job {job}: {} on {drive}. Planned outcome: {outcome}.", plan.title()));
        }
        Self { progress, bar, json: asked.json, quiet: asked.quiet }
    }

    fn tell(&mut self, event: &Event) {
        self.progress.apply(event);
        if self.json {
            // A reader that has gone away does not stop the job.
            let _ = writeln!(std::io::stdout(), "{}", jurex_pattern::text::safe_json(&json!(ToldLine::Event(event)).to_string()));
            return;
        }
        let worth_a_line = matches!(
            event,
            Event::Fault { .. }
                | Event::Slow { .. }
                | Event::Resumed { .. }
                | Event::Rechecked { .. }
                | Event::NothingTrusted { .. }
                | Event::FlushFailed { .. }
                | Event::NoAnswer { .. }
                | Event::AnswersElsewhere
                | Event::NotSaved { .. }
                | Event::Held { .. }
                | Event::LiftStarted { .. }
                | Event::Lifted { .. }
                | Event::Marked { .. }
                | Event::Searched { .. }
                | Event::NotSearched { .. }
                | Event::MeasureStarted { .. }
                | Event::Measured { .. }
                | Event::Sending { .. }
                | Event::StandsStill { .. }
                | Event::CannotStop
                | Event::OwnEnded { .. }
                | Event::CheckStarted { .. }
                | Event::CheckFault { .. }
        );
        if worth_a_line && !self.quiet {
            let line = event.sentence().unwrap_or_default();
            // A hidden bar prints nothing: where no terminal is, the lines go to the error stream by themselves.
            if self.bar.is_hidden() { remark(&line) } else { self.bar.println(line) }
        }
        let sector = u64::from(self.progress.evidence().drive().geometry.logical);
        self.bar.set_position(self.progress.work().0 * sector);
        self.bar.set_message(self.message());
    }

    fn message(&self) -> String {
        let doing = self.progress.activity().word();
        if self.progress.activity() == Activity::Own {
            let how_far = self.progress.own_progress_said().map(|said| format!(", {said}")).unwrap_or_default();
            return format!("the drive is {doing}{how_far}");
        }
        let speed = self.progress.speeds().0.map(rate).unwrap_or_default();
        let left = self.progress.time_left().map(|d| format!("{} left", duration(d))).unwrap_or_default();
        let which = match self.progress.activity() {
            Activity::Laying | Activity::ReadingBack => {
                format!(" pass {} of {}", self.progress.pass(), self.progress.planned_passes())
            }
            _ => String::new(),
        };
        format!("{doing}{which}  {speed}  {left}")
    }

    fn done(&self) {
        self.bar.finish_and_clear();
    }
}

fn finish(asked: &EraseArgs, seen: &DriveSnapshot, ended: FinishedJob, service: &JobService) -> Result<ExitCode, Failure> {
    let written = service.write_papers(&ended, &asked.out);
    let (lacks_mark, mark_said) = (ended.finished.lacks_its_mark(), ended.finished.mark_said());
    ended.untold.iter().for_each(|said| remark(&format!("jurex: {said}")));
    let Finished { record, is_stored, ledger_trouble, unfinished, .. } = ended.finished;
    if asked.json {
        say_json(&result_json(&record, written.as_ref().ok(), mark_said.as_deref()));
    } else {
        summary(&record, seen);
        mark_said.iter().for_each(|said| say(&format!("  tag      {said}")));
    }
    if unfinished.is_some() && !asked.json {
        let (drive, out) = (&asked.drive, asked.out.display());
        let drive = jurex_pattern::text::shown_path(std::path::Path::new(drive));
        say(&format!("  resume   jurex erase {drive} --resume --label-check ENDING --out {out}"));
    }
    if let Some(e) = &ledger_trouble {
        remark(&format!("jurex: {e}. The drive's treatment is not affected; keep the files in {}", asked.out.display()));
    }
    match written {
        Ok(_) if !is_stored => {
            let trouble = ledger_trouble.map(|e| e.to_string()).unwrap_or_default();
            let (job, out) = (&record.job, asked.out.display());
            Err(Failure::Less(format!(
                "the record of job {job} is not in the ledger ({trouble}). Its files are in {out}: keep them; or make room and \
                 resume with --resume, which reads the drive again and makes the record anew"
            )))
        }
        Ok(paths) => {
            if !asked.json {
                paths.iter().for_each(|p| say(&format!("  written  {}", p.display())));
            }
            let code = exit::of_record(&record);
            Ok(if lacks_mark && code == ExitCode::SUCCESS { ExitCode::from(3) } else { code })
        }
        Err(e) => Err(not_certified(&record, &e, is_stored)),
    }
}

fn summary(record: &Record, seen: &DriveSnapshot) {
    let evidence = record.evidence();
    say(&format!("{}: {} ({})", record.job, record.claim().outcome(), seen.drive.called()));
    record.claim().reasons().iter().for_each(|r| say(&format!("  because  {} [{}]", r.sentence(), r.citation())));
    record.claim().limits().iter().for_each(|r| say(&format!("  but      {} [{}]", r.sentence(), r.citation())));
    if evidence.bytes_laid() > 0 || evidence.own().is_none() {
        say(&format!("  written  {}; read back {}", size(evidence.bytes_laid()), size(evidence.bytes_read())));
    } else {
        say(&format!("  read     {}", size(evidence.bytes_read())));
    }
    if evidence.own().is_some_and(NativeEvidence::may_have_left_a_password) {
        say(&format!(
            "  mind     the drive may have the password `{PASSWORD}` and lock itself: `jurex unlock {}` takes it away",
            seen.drive.shown_path()
        ));
    }
    say(&format!("  proof    {}", record.confidence()));
    evidence.size().iter().for_each(|size| say(&format!("  size     {}", size.sentence())));
    let second = record.second_look.as_ref().filter(|look| look.is_due());
    second.iter().for_each(|look| say(&format!("  second   {}", look.sentence())));
    record.leftovers().iter().for_each(|both| say(&format!("  usable   {both}")));
}

fn result_json(record: &Record, written: Option<&Vec<std::path::PathBuf>>, mark: Option<&str>) -> serde_json::Value {
    json!(ToldLine::Result(JobResult {
        job: &record.job,
        outcome: record.claim().outcome(),
        planned: record.method.expected,
        kept_its_plan: record.kept_its_plan(),
        claim: record.claim(),
        mark,
        files: written.map(Vec::as_slice),
    }))
}
