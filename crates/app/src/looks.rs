//! What looks at installs, at sources and at logs have found, kept so that it can be told later how things stood, and when.

use kanon_core::base::finding::{Code, Finding, Severity};
use kanon_core::base::ids::FoldedId;
use kanon_core::canon::Canon;
use kanon_core::logs::health::{Health, Memory, NamedMod, Part, Start};
use serde::{Deserialize, Serialize};

use crate::error::AppError;
use crate::session::{Session, digest_of};

/// So many findings of one install are kept.
const FINDINGS: usize = 5_000;
/// Of so many days the health of one server is kept.
const DAYS: usize = 400;
/// So many starts, and as many mods, are kept of one look at a log.
const STARTS: usize = 60;

/// The last look at an install.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Look {
    /// When, in seconds since 1970.
    pub at: i64,
    /// The digest of the canon that it was held against.
    pub canon: String,
    /// How it is known: by `digest`, or by `receipt`.
    pub known_by: String,
    /// How many mods were there.
    pub mods: usize,
    /// In what it is off, the first few thousand.
    pub findings: Vec<KeptFinding>,
}

impl Look {
    /// How many findings are of a severity.
    pub fn of(&self, severity: Severity) -> usize {
        self.findings.iter().filter(|finding| finding.severity == severity).count()
    }
}

/// A finding as it is kept: what it says, without what an alignment would need of it.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct KeptFinding {
    /// Its code.
    pub code: Code,
    /// How bad it is.
    pub severity: Severity,
    /// The mod it is about.
    #[serde(rename = "mod", default, skip_serializing_if = "Option::is_none")]
    pub mod_id: Option<FoldedId>,
    /// Where it is, from the root of the install.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub path: Option<String>,
    /// What should be.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub expected: Option<String>,
    /// What is.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub found: Option<String>,
    /// What to do.
    pub remedy: String,
}

impl From<&Finding> for KeptFinding {
    fn from(finding: &Finding) -> Self {
        Self {
            code: finding.code,
            severity: finding.severity,
            mod_id: finding.mod_id.clone(),
            path: finding.path.clone(),
            expected: finding.expected.as_ref().map(ToString::to_string),
            found: finding.found.as_ref().map(ToString::to_string),
            remedy: finding.remedy.to_string(),
        }
    }
}

/// What the last look at the sources found.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Updates {
    /// When, in seconds since 1970.
    pub at: i64,
    /// How many mods could be renewed.
    pub mods: usize,
    /// The mods of which there is a newer release.
    #[serde(default)]
    pub waiting: Vec<Waiting>,
}

/// A mod of which there is a newer release.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Waiting {
    /// The mod.
    #[serde(rename = "mod")]
    pub mod_id: FoldedId,
    /// The release that is wished for now.
    pub have: Option<String>,
    /// The newest that fits.
    pub fits: Option<String>,
    /// The newest of all.
    pub newest: Option<String>,
    /// What holds the newest back.
    pub held_back: Option<String>,
    /// The mods that would have to move with it.
    #[serde(default)]
    pub brings: Vec<FoldedId>,
}

/// What the logs of a server told on one day.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct HealthLook {
    /// When they were read last on that day, in seconds since 1970.
    pub at: i64,
    /// Its starts, the newest last.
    pub starts: Vec<KeptStart>,
    /// How much memory it used, where that is told.
    pub memory: Option<KeptMemory>,
    /// How many lines tell that memory ran out.
    pub out_of_memory: u64,
    /// How many lines tell that it fell behind.
    pub lag_lines: u64,
    /// The longest time that such a line tells, in seconds.
    pub worst_lag: Option<f64>,
    /// How many lines tell that it ended unexpectedly.
    pub crashes: u64,
    /// The mods that are named when something is wrong.
    pub mods: Vec<KeptMod>,
    /// Where in the time of the logs it fell behind: when each part begins, and how many lines tell of it.
    pub over_time: Vec<(String, u64)>,
}

/// A start as it is kept.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct KeptStart {
    /// The day, where the log tells it.
    pub day: Option<String>,
    /// The time of day.
    pub at: Option<String>,
    /// Seconds until it was up.
    pub seconds: Option<f64>,
    /// Whether it came up.
    pub came_up: bool,
}

/// How much memory was used, as it is kept.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct KeptMemory {
    /// The most.
    pub most: f64,
    /// Whether that is in hundredths of what there is; bytes otherwise.
    pub percent: bool,
}

/// A mod that logs name when something is wrong, as it is kept.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct KeptMod {
    /// Its id.
    #[serde(rename = "mod")]
    pub mod_id: FoldedId,
    /// By so many lines.
    pub lines: u64,
    /// The seconds that those lines tell.
    pub seconds: Option<f64>,
}

impl HealthLook {
    /// What is kept of what logs tell.
    pub fn new(at: i64, health: &Health) -> Self {
        let start = |start: &Start| KeptStart {
            day: start.day.clone(),
            at: start.at.clone(),
            seconds: start.seconds,
            came_up: start.came_up,
        };
        let named = |named: &NamedMod| KeptMod {
            mod_id: FoldedId::from(named.id.as_str()),
            lines: named.lines,
            seconds: named.seconds,
        };
        let part = |part: &Part| (part.from.clone(), part.lag_lines);
        let first = health.starts.len().saturating_sub(STARTS);
        Self {
            at,
            starts: health.starts[first..].iter().map(start).collect(),
            memory: health.memory.map(|Memory { most, percent, .. }| KeptMemory { most, percent }),
            out_of_memory: health.out_of_memory,
            lag_lines: health.lag_lines,
            worst_lag: health.worst_lag,
            crashes: health.crashes,
            mods: health.mods.iter().take(STARTS).map(named).collect(),
            over_time: health.over_time.iter().map(part).collect(),
        }
    }
}

/// What the state keeps the last look at the sources by.
const UPDATES: &str = "updates";

fn look_key(install: &str) -> String {
    format!("look {install}")
}

fn health_key(install: &str) -> String {
    format!("health {install}")
}

impl Session<'_> {
    /// Keeps what a look at an install of the workspace found.
    ///
    /// # Errors
    /// When the state can't be written.
    pub fn keep_look(
        &self,
        install: &str,
        canon: &Canon,
        (mods, known_by): (usize, &str),
        findings: &[Finding],
    ) -> Result<(), AppError> {
        let is_known = self.workspace.as_ref().is_some_and(|workspace| workspace.config.install(install).is_some());
        if !is_known {
            return Ok(());
        }
        let look = Look {
            at: self.machine.now().timestamp().as_second(),
            canon: digest_of(canon)?.to_string(),
            known_by: known_by.to_owned(),
            mods,
            findings: findings.iter().take(FINDINGS).map(KeptFinding::from).collect(),
        };
        Ok(self.state.keep(&look_key(install), &look)?)
    }

    /// The last look at an install.
    ///
    /// # Errors
    /// When the state can't be read.
    pub fn last_look(&self, install: &str) -> Result<Option<Look>, AppError> {
        Ok(self.state.kept(&look_key(install))?)
    }

    /// Keeps what a look at the sources found.
    ///
    /// # Errors
    /// When the state can't be written.
    pub fn keep_updates(&self, mods: usize, waiting: Vec<Waiting>) -> Result<(), AppError> {
        let updates = Updates { at: self.machine.now().timestamp().as_second(), mods, waiting };
        Ok(self.state.keep(UPDATES, &updates)?)
    }

    /// What the last look at the sources found.
    ///
    /// # Errors
    /// When the state can't be read.
    pub fn last_updates(&self) -> Result<Option<Updates>, AppError> {
        Ok(self.state.kept(UPDATES)?)
    }

    /// Keeps what the logs of a server of the workspace tell, in place of what they told earlier on the same day.
    ///
    /// # Errors
    /// When the state can't be written.
    pub fn keep_health(&self, install: &str, health: &Health) -> Result<(), AppError> {
        let now = self.machine.now();
        let mut looks = self.health_looks(install)?;
        let day = |at: i64| jiff::Timestamp::from_second(at).map(|at| at.to_zoned(now.time_zone().clone()).date());
        if looks.last().is_some_and(|last| day(last.at).is_ok_and(|day| day == now.date())) {
            looks.pop();
        }
        looks.push(HealthLook::new(now.timestamp().as_second(), health));
        looks.drain(..looks.len().saturating_sub(DAYS));
        Ok(self.state.keep(&health_key(install), &looks)?)
    }

    /// What the logs of a server told, day by day, oldest first.
    ///
    /// # Errors
    /// When the state can't be read.
    pub fn health_looks(&self, install: &str) -> Result<Vec<HealthLook>, AppError> {
        Ok(self.state.kept(&health_key(install))?.unwrap_or_default())
    }
}
