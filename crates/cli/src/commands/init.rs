//! `kanon init`: starts a workspace.

use kanon_app::founding::{self, Founding};
use kanon_core::base::path::printable;
use kanon_core::base::suggestion::quoted;
use kanon_core::config::InstallWish;
use kanon_core::rulebook::Role;

use crate::arguments::Init;
use crate::env::Env;
use crate::failure::Failure;
use crate::render::{GOOD, styled};
use crate::ui::Ui;
use crate::{Outcome, screen};

pub fn run(arguments: Init, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    founding::refuse_second(&env.machine)?;
    let answers = answers(arguments, env)?;
    let path = answers.write(&env.machine)?;
    let first = answers.installs.first().map_or("INSTALL", |install| install.name.as_str());
    let first = quoted(first);
    if let Some(fetched) = &answers.fetched {
        let at = printable(&fetched.pin.at);
        ui.report(&format!("the rulebook of {} came from {at} into {}\n", printable(&fetched.game), answers.rulebook));
    }
    ui.report(&format!(
        "{}: {}\nnext: kanon survey {first}, then kanon adopt {first} and kanon seal\n",
        styled(GOOD, "started"),
        path.display()
    ));
    Ok(Outcome::InOrder)
}

fn answers(arguments: Init, env: &Env) -> Result<Founding, Failure> {
    let folder_name = env
        .machine
        .folder
        .canonicalize()
        .ok()
        .and_then(|folder| Some(folder.file_name()?.to_string_lossy().into_owned()));
    let rulebook = match arguments.rulebook {
        Some(file) => file,
        None => {
            ask(env, "Which rulebook? (a file)", founding::only_rulebook(&env.machine).as_deref(), "--rulebook FILE")?
        }
    };
    let (rulebook, fetched) = founding::rulebook_of(rulebook, &env.machine)?;
    let server = match arguments.server {
        Some(server) => server,
        None => ask(env, "Where is the server? (a folder)", None, "--server FOLDER")?,
    };
    let mut installs = vec![named(Role::Server, &server)];
    installs.extend(arguments.client.iter().map(|client| named(Role::Client, client)));
    founding::refuse_absent(&installs, &env.machine)?;
    let name = arguments.name.or(folder_name).unwrap_or_else(|| "our server".to_owned());
    let sources = arguments.source.iter().map(|source| split(source, "source")).collect();
    Ok(Founding { name, rulebook, fetched, installs, sources })
}

fn ask(env: &Env, question: &str, usual: Option<&str>, option: &str) -> Result<String, Failure> {
    if !env.machine.can_ask {
        return usual.map(str::to_owned).ok_or_else(|| {
            Failure::plain("not enough is known to start, and nobody can be asked").hint(format!("add {option}"))
        });
    }
    let mut input = dialoguer::Input::<String>::new().with_prompt(screen::plain(question));
    if let Some(usual) = usual {
        input = input.default(usual.to_owned());
    }
    input.interact_text().map_err(|error| Failure::plain("could not ask").because(error))
}

fn named(role: Role, text: &str) -> InstallWish {
    let (name, at) = split(text, role.as_str());
    InstallWish::bare(&name, role, &at)
}

/// `NAME=FOLDER`, or a folder that is called by its own name.
fn split(text: &str, usual: &str) -> (String, String) {
    let own_name = |at: &str| at.trim_end_matches(['/', '\\']).rsplit(['/', '\\']).next().unwrap_or(usual).to_owned();
    match text.split_once('=') {
        Some((name, at)) if !name.is_empty() && !name.contains(['/', '\\']) => (name.to_owned(), at.to_owned()),
        _ => (own_name(text), text.to_owned()),
    }
}
