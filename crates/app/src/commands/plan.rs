//! `jurex plan DRIVE`: what is needed, the ways that reach it, their time, and why others can't.

use super::{drives, say, say_json};
use crate::cli::PlanArgs as Asked;
use jurex_pattern::method::Catalogue;
use jurex_pattern::units::rate;
use jurex_sanitize::estimate::{SpeedSample, of_order};
use jurex_sanitize::ladder::{self, Candidate};
use jurex_sanitize::need::Need;
use jurex_sanitize::plan::{Course, Order, Plan};
use jurex_sanitize::policy::{LotDrive, Proposal, propose_one};
use jurex_sanitize::rules::{Outcome, Technique};
use jurex_station::app_paths::AppPaths;
use jurex_station::bench::{self, DriveSnapshot};
use jurex_station::clock::SystemEntropy;
use jurex_station::config::Config;
use jurex_station::exit::Failure;
use jurex_station::order;
use jurex_station::policies;
use jurex_station::release::MarkHere;
use serde_json::json;
use std::process::ExitCode;

pub(crate) fn run(asked: &Asked) -> Result<ExitCode, Failure> {
    let places = AppPaths::find()?;
    let config = Config::read(&places.config_file())?;
    let catalogue = config.catalogue()?;
    let seen = bench::find(&asked.drive, &config.only, &places)?;
    let edition = asked.order.rules.unwrap_or(config.rules);
    let (need, base) = match (&asked.policy, asked.sensitivity, asked.reuse, asked.leaves) {
        (Some(name), ..) => {
            let policy = policies::read(&places.policies(), name)?;
            let order = policy.order(&seen.drive, &catalogue, edition);
            (policy.need(), order.map_err(|e| Failure::Use(format!("the policy `{name}`: {e}")))?)
        }
        (None, Some(sensitivity), Some(reuse), Some(leaves)) => {
            (Need { sensitivity, reuse, leaves }, ladder::suggested(&seen.drive, &catalogue, edition))
        }
        _ => return Err(Failure::Use("say --sensitivity, --reuse and --leaves, or --policy".into())),
    };
    let by = config.papers().technician.name;
    let course = order::course(&asked.order, &seen, &catalogue, (edition, config.mark), Some(base.clone()), &by)?;
    let plan = Plan::of(&seen.drive, &course, &mut SystemEntropy)?;
    let (way, order) = match course {
        Course::Overwrite(order) => (Technique::Overwrite, order),
        Course::Own(own) => (own.technique, base),
    };
    let mark = MarkHere::on(&seen, &[]);
    mark.and_then(|mark| mark.warning()).iter().for_each(|said| super::remark(&format!("jurex: {said}")));
    let sample = (!asked.no_sample).then(|| seen.sample_speed());
    let (sample, trouble) = match sample.transpose() {
        Ok(sample) => (sample, None),
        Err(e) => (None, Some(e)),
    };
    let proposal = propose_one(
        0,
        Some(way),
        order,
        need,
        &catalogue,
        LotDrive { drive: &seen.drive, answers: &seen.answers, speed: sample.as_ref(), need: None },
    );
    let whole =
        PlanReport { seen: &seen, need, plan: &plan, proposal: &proposal, sample: sample.as_ref(), catalogue: &catalogue };
    if asked.json {
        say_json(&whole.json());
    } else {
        whole.text().iter().chain(&trouble.map(|t| format!("The speed was not sampled: {t}."))).for_each(|l| say(l));
    }
    Ok(ExitCode::SUCCESS)
}

/// Everything that is told.
struct PlanReport<'p> {
    seen: &'p DriveSnapshot,
    need: Need,
    plan: &'p Plan,
    proposal: &'p Proposal,
    sample: Option<&'p SpeedSample>,
    catalogue: &'p Catalogue,
}

impl PlanReport<'_> {
    fn order(&self) -> &Order {
        &self.proposal.order
    }

    fn warnings(&self) -> Vec<String> {
        let method = self.catalogue.methods().iter().find(|m| m.program == self.order().program && m.title == self.order().title);
        ladder::warnings(&self.seen.drive, self.order(), method, self.need, self.sample)
    }

    fn json(&self) -> serde_json::Value {
        let (plan, order) = (self.plan, self.order());
        let verdict = self.seen.verdict().err().map(|r| r.to_string());
        json!({
            "drive": drives::as_json(self.seen),
            "need": self.need,
            "needed": self.need.outcome(),
            "rules": order.edition.title(),
            "ways": self.proposal.ways,
            "plan": {
                "title": plan.title(),
                "notation": plan.notation(),
                "passes": plan.passes().len(),
                "verification": plan.verification(),
                "retries": plan.retries(),
                "size_check": plan.measure().is_some(),
                "searches": plan.searches(),
                "mark": plan.leaves_mark(),
                "own": plan.own_erase().map(|o| o.technique),
                "first": plan.range().first,
                "last": plan.range().last(),
                "whole_drive": plan.range() == self.seen.drive.geometry.whole(),
                "time": of_order(&self.seen.drive, order, self.sample),
                "earns": plan.expected().outcome(),
                "claim": plan.expected(),
            },
            "reached": plan.expected().outcome() >= self.need.outcome(),
            "warnings": self.warnings(),
            "what_to_do": self.proposal.what_to_do,
            "speed_sample": self.sample,
            "guarded": verdict,
        })
    }

    fn text(&self) -> Vec<String> {
        let (need, drive) = (self.need, &self.seen.drive);
        let yes_no = |yes| if yes { "yes" } else { "no" };
        let (reuse, leaves) = (yes_no(need.reuse), yes_no(need.leaves));
        let mut lines = vec![
            format!("{}, {} ({}, {})", drive.called(), drive.size(), drive.class, drive.bus),
            format!("  needed    {}: sensitivity {}, used again: {reuse}, leaves: {leaves}", need.outcome(), need.sensitivity),
            format!("  rules     {}", self.order().edition.title()),
        ];
        if let Err(refusal) = self.seen.verdict() {
            lines.push(format!("  guarded   {refusal}: it can be planned for, but not erased"));
        }
        if let Some(s) = self.sample {
            lines.push(format!(
                "  reads at  {} at the start, {} in the middle, {} at the end",
                rate(s.start),
                rate(s.middle),
                rate(s.end)
            ));
        }
        lines.push("Ways, best first:".into());
        self.proposal.ways.iter().for_each(|w| lines.extend(self.way(w)));
        lines.push(format!("The plan: {}", self.plan.title()));
        if !self.plan.passes().is_empty() {
            lines.push(format!("  passes    {}", self.plan.notation()));
        }
        if let Some(lift) = self.plan.lift() {
            let how_long = if lift.permanent { "for good" } else { "until the drive's next power-on" };
            lines.push(format!("  lifts     hidden areas, {how_long}"));
        }
        if self.plan.measure().is_some() {
            lines.push("  first     is it as large as it claims? Sectors all over it get a number each, and are read".into());
        }
        if self.plan.leaves_mark() {
            lines.push(
                "  tag       a page that says what was done, in the first and the last sectors, once all is verified".into(),
            );
        }
        if self.plan.searches() {
            lines.push("  searches  a sample of it for residual data, before and after, a minute each at most".into());
        }
        lines.push(format!("  reads     {}", self.plan.verification()));
        lines.push(format!("  covers    {}", self.plan.range()));
        lines.push(format!("  takes     {}", self.time()));
        lines.push(format!("  result    {}", self.plan.expected().outcome()));
        lines.extend(self.plan.expected().reasons().iter().map(|r| format!("  because   {} [{}]", r.sentence(), r.citation())));
        lines.extend(self.plan.expected().limits().iter().map(|r| format!("  but       {} [{}]", r.sentence(), r.citation())));
        lines.extend(self.warnings().iter().map(|w| format!("  mind      {w}")));
        lines.extend(self.proposal.what_to_do.iter().map(|w| format!("  do        {w}")));
        lines
    }

    /// How long the plan takes; of what the drive does itself only the drive can tell.
    fn time(&self) -> String {
        match self.plan.own_erase() {
            None => of_order(&self.seen.drive, self.order(), self.sample).to_string(),
            Some(own) => {
                let told = self.proposal.ways.iter().find(|w| w.technique == own.technique).and_then(|w| w.time);
                told.map_or_else(|| "not reported".into(), |t| t.to_string())
            }
        }
    }

    fn way(&self, way: &Candidate) -> Vec<String> {
        let enough = if way.outcome() >= self.need.outcome() { "enough" } else { "less than required" };
        let enough = if way.outcome() == Outcome::NotSanitized { "no" } else { enough };
        let time = way.time.map(|t| format!(", {t}")).unwrap_or_default();
        let head = format!("  {:<26}{:<24}{enough:<18}{}{time}", way.name, way.outcome_said(), way.availability.word());
        let sentence = way.availability.sentence();
        std::iter::once(head).chain((!sentence.is_empty()).then(|| format!("  {:26}{sentence}", ""))).collect()
    }
}
