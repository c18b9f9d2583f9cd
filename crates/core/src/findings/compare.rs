//! Several installs beside each other: mods down, installs across, each cell against the first column.

use std::collections::{BTreeMap, BTreeSet};

use serde::Serialize;

use crate::base::digest::Blake3;
use crate::base::ids::FoldedId;
use crate::base::version::Versions;
use crate::canon::Canon;
use crate::delta::ReleaseDifference;
use crate::rulebook::{NeededOn, Role};
use crate::survey::Survey;

/// The first field of every comparison.
pub const FORMAT: &str = "kanon-comparison/1";

/// One install, survey or canon, ready to be compared.
#[derive(Debug, Clone)]
pub struct Column {
    /// Its name.
    pub name: String,
    /// What it has, by folded id.
    pub mods: BTreeMap<FoldedId, Vec<ModCopy>>,
}

/// One copy of a mod in a column.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ModCopy {
    /// The id as it is written there.
    pub id: FoldedId,
    /// The version, or a dash.
    pub version: String,
    /// One digest for all of it.
    pub digest: Blake3,
    /// Whether the game will load it.
    pub enabled: bool,
    /// Another loader that it was made for.
    pub made_for: Option<String>,
}

/// Whether an install is to have a mod.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Need {
    /// It must have it.
    Must,
    /// It may have it, or not: the mod is optional, or the other side's and harmless here.
    May,
    /// It is better off without it.
    MustNot,
}

impl Need {
    /// What a mod that is needed there means for an install of a role.
    pub const fn of(side: NeededOn, role: Role) -> Self {
        match (side, role) {
            _ if side.includes(role) => Self::Must,
            (NeededOn::Client, Role::Server) => Self::MustNot,
            _ => Self::May,
        }
    }
}

/// How a cell compares with the first column.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Mark {
    /// The same bytes.
    Same,
    /// An older release.
    Older,
    /// A newer release.
    Newer,
    /// Another release, without an order.
    Other,
    /// The same release with other bytes.
    Edited,
    /// Not there.
    Missing,
    /// There, and the first column does not have it.
    Extra,
    /// There, switched off.
    Off,
    /// There more than once.
    Twice,
    /// There, for another loader.
    Foreign,
    /// Neither here nor in the first column.
    Absent,
}

/// One cell of the matrix.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Cell {
    /// The versions there, newest knowledge first; empty when there is none.
    pub versions: Vec<String>,
    /// How it compares with the first column.
    pub mark: Mark,
}

/// One row of the matrix.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Row {
    /// The mod.
    pub id: FoldedId,
    /// One cell for each column.
    pub cells: Vec<Cell>,
    /// Whether all columns have the same.
    pub same: bool,
}

/// Installs beside each other.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Matrix {
    /// `kanon-comparison/1`.
    pub format: &'static str,
    /// The columns' names; the first is what the others are compared with.
    pub columns: Vec<String>,
    /// A row for each mod.
    pub rows: Vec<Row>,
    /// Whether every row is the same everywhere.
    pub same: bool,
}

impl Column {
    /// A column of a survey.
    pub fn of_survey(survey: &Survey) -> Self {
        let mut mods: BTreeMap<FoldedId, Vec<ModCopy>> = BTreeMap::new();
        for found in &survey.mods {
            mods.entry(found.manifest.id.clone()).or_default().push(ModCopy {
                id: found.manifest.id.clone(),
                version: found.version_or_dash().to_owned(),
                digest: found.digest,
                enabled: found.enabled,
                made_for: found.manifest.made_for.clone(),
            });
        }
        Self { name: survey.install.name.clone().into(), mods }
    }

    /// A column of a canon, of the mods that both sides need and those that one does.
    pub fn of_canon(canon: &Canon) -> Self {
        let held = |sealed: &crate::canon::SealedMod| ModCopy {
            id: sealed.manifest.id.clone(),
            version: sealed.version_or_dash().to_owned(),
            digest: sealed.digest,
            enabled: true,
            made_for: None,
        };
        Self {
            name: "canon".to_owned(),
            mods: canon.mods.iter().map(|m| (m.manifest.id.clone(), vec![held(m)])).collect(),
        }
    }
}

/// Puts columns beside each other. A mod that a side does not need counts as absent there, not as missing; where the first
/// column does not need it, the others are held against the first of them that has it.
pub fn matrix(columns: &[Column], versions: Versions, needed: impl Fn(&FoldedId, usize) -> Need) -> Matrix {
    let ids: BTreeSet<&FoldedId> = columns.iter().flat_map(|column| column.mods.keys()).collect();
    let rows: Vec<Row> = ids.into_iter().map(|id| row(id, columns, versions, &needed)).collect();
    Matrix {
        format: FORMAT,
        columns: columns.iter().map(|column| column.name.clone()).collect(),
        same: rows.iter().all(|row| row.same),
        rows,
    }
}

fn row(id: &FoldedId, columns: &[Column], versions: Versions, needed: &impl Fn(&FoldedId, usize) -> Need) -> Row {
    let copies = |column: &Column| column.mods.get(id).cloned().unwrap_or_default();
    let in_play = |column: &Column| copies(column).into_iter().find(|held| held.enabled && held.made_for.is_none());
    let first = columns.first().and_then(in_play);
    let others = || columns.iter().enumerate().skip(1).filter(|(index, _)| needed(id, *index) != Need::MustNot);
    let reference = match first {
        None if needed(id, 0) != Need::Must => others().find_map(|(_, column)| in_play(column)),
        first => first,
    };
    let cells: Vec<Cell> = columns
        .iter()
        .enumerate()
        .map(|(index, column)| cell(reference.as_ref(), &copies(column), versions, needed(id, index)))
        .collect();
    let name = columns.iter().flat_map(copies).next().map_or_else(|| id.clone(), |held| held.id);
    let same = cells.iter().all(|cell| matches!(cell.mark, Mark::Same | Mark::Absent));
    Row { id: name, cells, same }
}

fn cell(reference: Option<&ModCopy>, copies: &[ModCopy], versions: Versions, need: Need) -> Cell {
    let enabled: Vec<&ModCopy> = copies.iter().filter(|held| held.enabled).collect();
    let mark = match (enabled.as_slice(), reference) {
        ([], _) if !copies.is_empty() && need == Need::Must => Mark::Off,
        ([], Some(_)) if need == Need::Must => Mark::Missing,
        ([], _) => Mark::Absent,
        ([one], _) if one.made_for.is_some() => Mark::Foreign,
        ([_], _) if need == Need::MustNot => Mark::Extra,
        ([_], None) => Mark::Extra,
        ([one], Some(reference)) => against(reference, one, versions),
        _ => Mark::Twice,
    };
    let shown = if enabled.is_empty() { copies.iter().collect() } else { enabled };
    Cell { versions: shown.iter().map(|held| held.version.clone()).collect(), mark }
}

fn against(reference: &ModCopy, held: &ModCopy, versions: Versions) -> Mark {
    if held.digest == reference.digest {
        return Mark::Same;
    }
    match ReleaseDifference::of_versions(versions, &reference.version, &held.version) {
        ReleaseDifference::None => Mark::Same,
        ReleaseDifference::Bytes => Mark::Edited,
        ReleaseDifference::Older => Mark::Older,
        ReleaseDifference::Newer => Mark::Newer,
        ReleaseDifference::Other => Mark::Other,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn held(version: &str, bytes: &str) -> ModCopy {
        ModCopy {
            id: "Tide".into(),
            version: version.to_owned(),
            digest: Blake3::of(bytes.as_bytes()),
            enabled: true,
            made_for: None,
        }
    }

    fn column(copies: &[ModCopy]) -> Column {
        Column { name: "x".to_owned(), mods: [("tide".into(), copies.to_vec())].into() }
    }

    #[rstest]
    #[case(&[held("1.1", "a")], Mark::Same)]
    #[case(&[held("1.0", "b")], Mark::Older)]
    #[case(&[held("1.2", "b")], Mark::Newer)]
    #[case(&[held("blue", "b")], Mark::Other)]
    #[case(&[held("1.1", "b")], Mark::Edited)]
    #[case::no_digest_is_newer_than_a_version(&[held("ffffffffffffffffffffffffffffffff", "b")], Mark::Other)]
    #[case(&[], Mark::Missing)]
    #[case(&[ModCopy { enabled: false, ..held("1.1", "a") }], Mark::Off)]
    #[case(&[held("1.1", "a"), held("1.0", "b")], Mark::Twice)]
    #[case(&[ModCopy { made_for: Some("Gantry".to_owned()), ..held("1.1", "a") }], Mark::Foreign)]
    fn cells(#[case] copies: &[ModCopy], #[case] mark: Mark) {
        let found = matrix(&[column(&[held("1.1", "a")]), column(copies)], Versions::default(), |_, _| Need::Must);
        assert_eq!(found.rows[0].cells[1].mark, mark);
        assert_eq!((found.same, found.rows[0].id.as_str()), (mark == Mark::Same, "Tide"));
    }

    #[test]
    fn what_a_side_does_not_need_is_absent_and_what_only_others_have_is_extra() {
        let found = matrix(&[column(&[held("1.1", "a")]), column(&[])], Versions::default(), |_, _| Need::May);
        assert!(found.same);
        let found = matrix(&[column(&[]), column(&[held("1", "a")])], Versions::default(), |_, _| Need::Must);
        assert_eq!(found.rows[0].cells[1].mark, Mark::Extra);
    }

    /// A server first, then three clients.
    #[rstest]
    #[case::of_clients_alone(NeededOn::Client, [None, Some("a"), Some("a"), Some("a")], [Mark::Absent, Mark::Same, Mark::Same, Mark::Same])]
    #[case::of_clients_and_one_has_another(NeededOn::Client, [None, Some("a"), Some("b"), None], [Mark::Absent, Mark::Same, Mark::Edited, Mark::Missing])]
    #[case::of_clients_on_the_server(NeededOn::Client, [Some("a"), Some("a"), Some("a"), Some("a")], [Mark::Extra, Mark::Same, Mark::Same, Mark::Same])]
    #[case::of_the_server_alone(NeededOn::Server, [Some("a"), None, Some("a"), Some("b")], [Mark::Same, Mark::Absent, Mark::Same, Mark::Edited])]
    #[case::optional(NeededOn::Optional, [None, None, Some("a"), Some("a")], [Mark::Absent, Mark::Absent, Mark::Same, Mark::Same])]
    #[case::of_both(NeededOn::Both, [None, Some("a"), None, None], [Mark::Absent, Mark::Extra, Mark::Absent, Mark::Absent])]
    fn sides_are_minded(#[case] side: NeededOn, #[case] bytes: [Option<&str>; 4], #[case] marks: [Mark; 4]) {
        let columns = bytes.map(|bytes| column(&bytes.map(|bytes| held("1", bytes)).into_iter().collect::<Vec<_>>()));
        let role = |column: usize| if column == 0 { Role::Server } else { Role::Client };
        let found = matrix(&columns, Versions::default(), |_, column| Need::of(side, role(column)));
        let told: Vec<Mark> = found.rows[0].cells.iter().map(|cell| cell.mark).collect();
        assert_eq!(told, marks);
    }
}
