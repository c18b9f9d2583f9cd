//! Base archives: whether every overlay of the canon is laid in, and what this side must not have is left out.

use super::context::{CheckContext, align};
use crate::base::finding::{Code, Finding};
use crate::base::stated::Stated;
use crate::survey::{LaidOverlay, Survey, SurveyedBase};

/// Findings about base archives.
pub(super) fn findings(context: CheckContext<'_>, survey: &Survey) -> Vec<Finding> {
    let in_canon = |laid: &&LaidOverlay| {
        context
            .canon
            .mods
            .iter()
            .any(|sealed| sealed.manifest.id == laid.id && sealed.needed_on().includes(survey.install.role))
    };
    let mut findings = Vec::new();
    for base in &survey.bases {
        findings.extend(base.overlays.iter().filter(in_canon).filter_map(|laid| not_laid(survey, base, laid)));
        findings.extend(not_stripped(survey, base));
    }
    findings
}

fn not_laid(survey: &Survey, base: &SurveyedBase, laid: &LaidOverlay) -> Option<Finding> {
    (laid.laid < laid.members).then(|| {
        Finding::new(Code::ContentDiffers, align(survey))
            .about(&laid.id)
            .at(base.path.as_str())
            .expected(Stated::LaidIn(laid.members))
            .found(Stated::LaidInPart { laid: laid.laid, missing: laid.missing.len(), other: laid.other.len() })
    })
}

fn not_stripped(survey: &Survey, base: &SurveyedBase) -> Option<Finding> {
    let first = base.not_stripped.first()?;
    let found = match base.not_stripped.len() {
        1 => Stated::Verbatim(first.clone()),
        n => Stated::AndMore { first: first.clone(), more: n - 1 },
    };
    Some(
        Finding::new(Code::ContentDiffers, align(survey))
            .at(base.path.as_str())
            .expected(Stated::NothingForbidden(survey.install.role.as_str()))
            .found(found),
    )
}
