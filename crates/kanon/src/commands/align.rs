//! `kanon align`: brings an install in line with the canon.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use kanon_core::align::{self, Plan, RiskyExtras};
use kanon_core::canon::Canon;
use kanon_core::digest::Blake3;
use kanon_core::finding::{Finding, in_line};
use kanon_core::path::InstallPath;
use kanon_core::rulebook::Role;
use kanon_core::survey::Survey;
use kanon_reach::carry_out::{Lock, Order, Receipt, ReceiptFile, carry_out};
use kanon_reach::install::LocalInstall;
use kanon_reach::measure::wild_places;
use kanon_reach::state::AlignmentState;
use kanon_reach::undo::take_back;

use super::check::held;
use crate::Outcome;
use crate::arguments::{Align, Format};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::{self, GOOD, styled};
use crate::session::{Session, Target};
use crate::ui::Ui;

/// The install that is aligned.
struct Subject {
    name: String,
    role: Role,
    path: PathBuf,
}

pub fn run(arguments: &Align, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::open(env, ui, arguments.lens.rulebook.as_deref(), arguments.lens.thorough)?;
    let canon = session.canon()?;
    let subject = subject(&session, arguments)?;
    if !arguments.preview {
        session.refuse_stale(&canon)?;
        take_back_interrupted(&session, &subject)?;
    }
    let survey = survey(&mut session, &subject)?;
    let risky = if arguments.park_extras { RiskyExtras::Park } else { RiskyExtras::Stay };
    let plan = align::plan(session.measure(&canon), &survey, risky).map_err(kanon_reach::error::ReachError::from)?;
    if env.format == Format::Text {
        ui.report(&render::align::plan(&subject.name, &plan));
    }
    let carry = !plan.steps.is_empty() && !arguments.preview && agreed(arguments, env, ui)?;
    let (left, id) = if carry {
        carry_through(&mut session, &subject, &plan, &canon)?
    } else {
        (kanon_core::check::hold(session.measure(&canon), &survey), None)
    };
    let done = carry || plan.steps.is_empty();
    match env.format {
        Format::Json => ui.json(&render::align::Report {
            format: align::FORMAT,
            install: &subject.name,
            steps: &plan.steps,
            done: carry,
        })?,
        Format::Text => ui.report(&conclusion(&subject, &left, id, done)),
    }
    Ok(Outcome::of(done && in_line(&left)))
}

fn subject(session: &Session<'_>, arguments: &Align) -> Result<Subject, Failure> {
    match session.target(&arguments.install, arguments.lens.role.map(Role::from))? {
        Target::Local { name, role, path } => Ok(Subject { name, role, path }),
        Target::Survey(_) => {
            Err(Failure::plain(format!("{} is a survey; only an install can be aligned", arguments.install))
                .hint("run it where the install is"))
        }
    }
}

fn survey(session: &mut Session<'_>, subject: &Subject) -> Result<Survey, Failure> {
    let target = Target::Local { name: subject.name.clone(), role: subject.role, path: subject.path.clone() };
    Ok(session.survey(target)?.survey)
}

/// A half-done alignment is never built upon: it is taken back to the byte before a new plan is made.
fn take_back_interrupted(session: &Session<'_>, subject: &Subject) -> Result<(), Failure> {
    if !subject.path.is_dir() {
        return Ok(());
    }
    let install = LocalInstall::open(&subject.path)?;
    let backups = session.workspace()?.backups();
    let last = session.state.alignments(Some(&install.root().to_string_lossy()))?.into_iter().next();
    let Some(last) = last.filter(|last| last.state == AlignmentState::Running) else { return Ok(()) };
    let _lock = Lock::take(&backups)?;
    let taken = take_back(&install, &session.state, last.id, &backups)?;
    session.ui.notice("an earlier alignment was interrupted; it is taken back first");
    session.ui.notice(render::align::taken_back(&subject.name, last.id, &taken).trim_end());
    Ok(())
}

fn agreed(arguments: &Align, env: &Env, ui: &Ui) -> Result<bool, Failure> {
    if arguments.yes {
        return Ok(true);
    }
    if !env.can_ask {
        ui.notice("nothing was done, since nobody could be asked; add --yes to do it, or --preview to say that this was all you wanted");
        return Ok(false);
    }
    let asked = dialoguer::Confirm::new().with_prompt("Do this?").default(false).interact();
    asked.map_err(|error| Failure::plain("could not ask").because(error))
}

fn carry_through(
    session: &mut Session<'_>,
    subject: &Subject,
    plan: &Plan,
    canon: &Canon,
) -> Result<(Vec<Finding>, Option<i64>), Failure> {
    let bytes = session.bytes(&plan.wanted())?;
    let install = LocalInstall::open(&subject.path)?;
    let backups = session.workspace()?.backups();
    let rulebook = &session.loaded.rulebook;
    let wild = wild_places(&install, rulebook, subject.role);
    let order = Order {
        install: &install,
        name: &subject.name,
        plan,
        places: rulebook
            .shelves
            .iter()
            .flat_map(|shelf| shelf.places(subject.role))
            .chain(wild.values().flatten())
            .cloned()
            .collect(),
        receipt: receipt(session, subject, canon, &wild)?,
        bytes: &bytes,
        backups: &backups,
    };
    let bar = session.ui.progress("aligning");
    let id = carry_out(&order, &mut session.state, &bar)?;
    drop(bar);
    let target = Target::Local { name: subject.name.clone(), role: subject.role, path: subject.path.clone() };
    let surveyed = session.survey(target)?;
    Ok((held(session, canon, &surveyed).findings, Some(id)))
}

fn receipt(
    session: &Session<'_>,
    subject: &Subject,
    canon: &Canon,
    wild: &BTreeMap<String, Vec<InstallPath>>,
) -> Result<Receipt, Failure> {
    let mut files = Vec::new();
    for sealed in canon.mods.iter().filter(|sealed| sealed.needed_on().includes(subject.role)) {
        let shelf = session.loaded.rulebook.shelf(&sealed.shelf);
        let literal = shelf.map_or(&[][..], |shelf| shelf.places(subject.role));
        let places = literal.iter().chain(wild.get(&sealed.shelf).into_iter().flatten());
        for (place, file) in places.flat_map(|place| sealed.files.iter().map(move |file| (place, file))) {
            let path =
                place.join(file.path.as_str()).map_err(|error| kanon_reach::error::ReachError::Plan(error.into()))?;
            files.push(ReceiptFile { path, size: file.size, blake3: file.blake3 });
        }
    }
    let canon = canon.to_json().map(|json| Blake3::of(json.as_bytes())).unwrap_or(canon.rulebook);
    Ok(Receipt { format: "kanon-receipt/1", canon, files })
}

fn conclusion(subject: &Subject, left: &[Finding], id: Option<i64>, done: bool) -> String {
    let mut out = String::new();
    if let Some(id) = id {
        let backup = Path::new(".kanon").join("backups").join(id.to_string());
        out = format!(
            "\n{}: alignment {id} of {}; copies of what was there are in {}\n",
            styled(GOOD, "done"),
            subject.name,
            backup.display()
        );
        out.push_str(&format!("take it back with: kanon undo {}\n", subject.name));
    }
    if !done {
        return out;
    }
    if in_line(left) {
        out.push_str(&format!("measured again: {} is {} with the canon\n", subject.name, styled(GOOD, "in line")));
        return out;
    }
    out.push_str(&format!(
        "measured again: {} is still off the canon in what an alignment can't mend:\n",
        subject.name
    ));
    render::check::findings(&mut out, left);
    out
}
