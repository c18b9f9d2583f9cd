//! What an administrator wants becomes wishes that fit: taking, dropping and renewing mods, worked out and written into `kanon.toml`.

use kanon_core::base::ids::FoldedId;
use kanon_core::config::{Edit, WorkspaceConfig, edit};
use kanon_core::resolve::solve::{NoFit, Standing};
use kanon_core::resolve::update::{Intent, Outlook, Taken, Update};
use kanon_io::writing::write_whole;

use crate::error::{AppError, WishError};
use crate::offers::Offers;
use crate::sealable::sealable_outlook;
use crate::session::Session;

/// What an intent came to.
pub struct Changed {
    /// The new wishes.
    pub update: Update,
    /// How each mod stands that was meant.
    pub standings: Vec<Standing>,
    /// Whether they were written.
    pub is_written: bool,
}

/// Mods as they were typed: `ID`, or `ID@REQUIREMENT`.
///
/// # Errors
/// When a requirement is neither one nor the version of a release on offer.
pub fn taken(
    session: &Session<'_>,
    offers: &Offers,
    typed: &[String],
    prereleases: bool,
) -> Result<Vec<Taken>, AppError> {
    let versions = session.loaded.rulebook.versions;
    let mut taken = Vec::new();
    for text in typed {
        let (id, accepts) = id_and_requirement(text);
        let id = FoldedId::from(id.trim());
        let accepts = accepts.filter(|accepts| !accepts.is_empty());
        if let Some(accepts) = accepts
            && let Err(error) = versions.requirement(accepts)
        {
            let is_release = |version: Option<&str>| version == Some(accepts);
            let mut items = offers.items.iter().filter(|item| item.manifest.id == id);
            if !items.any(|item| is_release(item.manifest.version.as_deref())) {
                return Err(WishError::NoRequirement(error).into());
            }
        }
        taken.push(Taken { id, accepts: accepts.map(str::to_owned), prereleases });
    }
    Ok(taken)
}

/// `ID@REQUIREMENT`; an id may begin with the sign itself.
fn id_and_requirement(text: &str) -> (&str, Option<&str>) {
    let sign = text.char_indices().skip(1).find(|(_, c)| *c == '@');
    sign.map_or((text, None), |(at, _)| (&text[..at], Some(text[at + 1..].trim())))
}

/// Mods that must be wished for already.
///
/// # Errors
/// When one is not.
pub fn wished(session: &Session<'_>, typed: &[String]) -> Result<Vec<FoldedId>, AppError> {
    let ids: Vec<FoldedId> = typed.iter().map(FoldedId::from).collect();
    let wishes = &session.workspace()?.config.mods;
    match ids.iter().find(|id| !wishes.iter().any(|wish| wish.id == **id)) {
        None => Ok(ids),
        Some(id) => {
            let known = wishes.iter().map(|wish| wish.id.clone()).collect();
            Err(WishError::NotWishedFor { id: id.to_string(), known }.into())
        }
    }
}

/// The wishes for another game version, if one is asked for.
pub fn for_game(wishes: &WorkspaceConfig, game: Option<&str>) -> WorkspaceConfig {
    WorkspaceConfig { game_version: game.map(str::to_owned).or_else(|| wishes.game_version.clone()), ..wishes.clone() }
}

/// Works out the new wishes, and writes them unless they are only to be seen; says why where nothing fits.
///
/// # Errors
/// When `kanon.toml` can't be edited or written, or not all could be tried.
pub fn change(
    session: &Session<'_>,
    offers: &Offers,
    intent: &Intent,
    (game, preview): (Option<&str>, bool),
) -> Result<Result<Changed, Box<NoFit>>, AppError> {
    let workspace = session.workspace()?;
    let wishes = for_game(&workspace.config, game);
    let Outlook { update, standings } = sealable_outlook(offers, session, &wishes, intent);
    let update = match update {
        Ok(update) => update,
        Err(why) if why.given_up => return Err(WishError::GivenUp.into()),
        Err(why) => return Ok(Err(why)),
    };
    let edited = edit(
        &workspace.text,
        &Edit { put: &update.put, remove: &update.remove, game_version: game, ..Edit::default() },
    )
    .map_err(|error| WishError::NotEdited(Box::new(error)))?;
    let is_written = !preview && edited.text != workspace.text;
    if is_written {
        write_whole(&workspace.wishes_path(), &edited.text)?;
    }
    let is_meant = |standing: &Standing| match intent {
        Intent::Take(taken) => taken.iter().any(|taken| taken.id == standing.id),
        Intent::Renew(ids) => ids.is_empty() || ids.contains(&standing.id),
        Intent::Drop(_) => false,
    };
    Ok(Ok(Changed { update, standings: standings.into_iter().filter(is_meant).collect(), is_written }))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_id_may_begin_with_the_sign() {
        assert_eq!(id_and_requirement("tide"), ("tide", None));
        assert_eq!(id_and_requirement("tide@ >=1"), ("tide", Some(">=1")));
        assert_eq!(id_and_requirement("#deep cold@^2"), ("#deep cold", Some("^2")));
        assert_eq!(id_and_requirement("#deep cold"), ("#deep cold", None));
    }
}
