//! From an install that was opened to the steps that bring it in line: surveyed, held against the canon, and planned.

use kanon_core::base::path::InstallPath;
use kanon_core::delta::Delta;
use kanon_core::delta::worlds::{wanting_new, without_worlds};
use kanon_core::plan::worlds::{Choice, World, decide};
use kanon_core::plan::{self, Plan, RiskyExtras, Step};
use kanon_core::survey::Survey;
use kanon_io::bytes::Bytes;
use kanon_io::error::{ForPath, ReachError};
use kanon_io::measure::world_places;
use kanon_io::worlds;

use super::Wanted;
use super::opened::Opened;
use super::planned::Planned;
use crate::amending::amend;
use crate::error::{AlignmentError, AppError};
use crate::session::Target;

impl<'e> Opened<'e> {
    /// Surveys the install and plans what brings it in line.
    pub fn plan(mut self, wanted: &Wanted) -> Result<Planned<'e>, AppError> {
        let canon = self.canon.clone();
        let mut surveyed = self.at.session.survey(Target::Install(self.at.placed.clone()))?;
        let survey = &surveyed.survey;
        let rulebook = self.at.session.loaded.rulebook.clone();
        let context = self.at.session.measure_by(&canon, &rulebook);
        let delta = Delta::compute(context, survey);
        let changes = &delta.worlds;
        let mut own_bytes = Bytes::default();
        let choice = self.choice(wanted, survey, &mut own_bytes)?;
        let without = match choice {
            Choice::New(_) | Choice::Prepared { .. } => Some(without_worlds(survey)),
            Choice::Keep | Choice::Undecided => None,
        };
        let without = without.as_ref().map(|survey| Delta::compute(context, survey));
        let mut plan = plan::plan(without.as_ref().unwrap_or(&delta), wanted.risky).map_err(ReachError::from)?;
        let undecided = match choice {
            Choice::Undecided => wanting_new(changes).map(|change| change.id.clone()).collect(),
            _ => Vec::new(),
        };
        let all_stay = changes.is_empty() && without.is_none() && !touches(&plan, &survey.worlds);
        let worlds: Vec<World> =
            if all_stay { Vec::new() } else { worlds::listed(self.at.install.as_ref(), &survey.worlds)? };
        plan = decide(plan, (&worlds, changes), &choice, (&rulebook, self.at.placed.role))
            .for_path("a world that is set aside or put in place")?;
        let texts = (&delta.texts, &wanted.said);
        let left = amend(&mut self.at.session, self.at.install.as_ref(), texts, &mut plan, &mut own_bytes)?;
        plan.refuse_off_limits().map_err(ReachError::from)?;
        let orphans = match wanted.risky {
            RiskyExtras::Stay => plan::orphans(&plan, &delta),
            RiskyExtras::Park => Vec::new(),
        };
        surveyed.left = left;
        let bases = Vec::new();
        let mut planned = Planned { opened: self, plan, undecided, orphans, surveyed, own_bytes, bases, bytes: None };
        planned.plan_bases()?;
        Ok(planned)
    }

    fn choice(&self, wanted: &Wanted, survey: &Survey, own_bytes: &mut Bytes) -> Result<Choice, AppError> {
        let Some(word) = wanted.world.as_deref() else { return Ok(Choice::Undecided) };
        if self.has_finished {
            return Ok(Choice::Keep);
        }
        let mark = self.at.session.machine.now().strftime("%Y%m%d-%H%M%S").to_string();
        match word {
            "keep" => return Ok(Choice::Keep),
            "new" => return Ok(Choice::New(mark)),
            _ => {}
        }
        let file = self.at.session.machine.folder.join(word);
        let place = world_places(&self.at.session.loaded.rulebook, self.at.placed.role).next().map(ToString::to_string);
        let Some(place) = survey.worlds.first().map(ToString::to_string).or(place) else {
            return Err(AlignmentError::NoPlaceOfWorld.into());
        };
        let is_folder = match survey.worlds.first() {
            Some(world) => self.at.install.is_folder(world),
            // A world that is one file has an extension, as far as anybody has seen.
            None => !place.rsplit('/').next().unwrap_or_default().contains('.'),
        };
        let room = self.at.session.workspace()?.unpacked();
        let files = worlds::prepared(&file, is_folder, &room, own_bytes).map_err(AlignmentError::PreparedWorld)?;
        let called = file.file_stem().map(|stem| stem.to_string_lossy().into_owned()).unwrap_or_default();
        Ok(Choice::Prepared { mark, called, files })
    }
}

fn touches(plan: &Plan, worlds: &[InstallPath]) -> bool {
    let inside = |path: &InstallPath| worlds.iter().any(|world| path == world || path.below(world).is_some());
    plan.steps.iter().flat_map(Step::paths).any(inside)
}
