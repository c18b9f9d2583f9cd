//! `kanon init`: starts a workspace.

use std::path::Path;

use kanon_app::rulebooks::{self, Fetched};
use kanon_core::base::path::printable;
use kanon_core::base::suggestion::quoted;
use kanon_core::config;
use kanon_io::workspace::{WISHES, load_rulebook};
use kanon_io::writing::write_whole;
use toml_edit::{DocumentMut, Item, Table, value};

use crate::arguments::Init;
use crate::env::Env;
use crate::failure::Failure;
use crate::render::{GOOD, styled};
use crate::ui::Ui;
use crate::{Outcome, screen};

/// The comments that a new `kanon.toml` begins with.
const HEAD: &str = "\
# The wish for this server and its players. Kanon edits it without touching comments or order.
# A path is relative to this file. Passwords never belong in here.
";

pub fn run(arguments: Init, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let path = env.machine.folder.join(WISHES);
    if path.exists() {
        return Err(Failure::plain(format!("{} is there already", path.display()))
            .hint("edit it, or start elsewhere with: kanon -C DIR init"));
    }
    let answers = answers(arguments, env)?;
    let fetched = answers.fetched.as_ref();
    if let Some(fetched) = fetched {
        let file = env.machine.folder.join(&answers.rulebook);
        if file.exists() {
            return Err(Failure::plain(format!("{} is there already", file.display()))
                .hint("move it away, or start with that file: --rulebook FILE"));
        }
        write_whole(&file, &fetched.text)?;
    }
    let text = document(&answers)?;
    config::parse(WISHES, &text).map_err(|bad| Failure::from(kanon_io::error::ReachError::from(bad)))?;
    write_whole(&path, &text)?;
    let first = answers.installs.first().map_or("INSTALL", |(_, name, _)| name.as_str());
    let first = quoted(first);
    if let Some(fetched) = fetched {
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

/// Everything that a workspace starts with.
struct Answers {
    name: String,
    rulebook: String,
    /// The rulebook, where it came from elsewhere.
    fetched: Option<Fetched>,
    installs: Vec<(&'static str, String, String)>,
    sources: Vec<(String, String)>,
}

fn answers(arguments: Init, env: &Env) -> Result<Answers, Failure> {
    let folder_name = env
        .machine
        .folder
        .canonicalize()
        .ok()
        .and_then(|folder| Some(folder.file_name()?.to_string_lossy().into_owned()));
    let rulebook = match arguments.rulebook {
        Some(file) => file,
        None => ask(env, "Which rulebook? (a file)", only_rulebook(&env.machine.folder).as_deref(), "--rulebook FILE")?,
    };
    let (rulebook, fetched) = if rulebook.contains("://") {
        let fetched = rulebooks::fetch(&rulebook, (&env.machine.folder, &env.machine))?;
        (file_for(&fetched), Some(fetched))
    } else {
        load_rulebook(&env.machine.folder.join(&rulebook))?;
        (rulebook, None)
    };
    let server = match arguments.server {
        Some(server) => server,
        None => ask(env, "Where is the server? (a folder)", None, "--server FOLDER")?,
    };
    let mut installs = vec![named("server", &server)];
    installs.extend(arguments.client.iter().map(|client| named("client", client)));
    for (_, name, at) in &installs {
        if !at.contains("://") && !env.machine.folder.join(at).is_dir() {
            return Err(Failure::plain(format!("the folder of {name} is not there: {at}")).hint("check the path"));
        }
    }
    let name = arguments.name.or(folder_name).unwrap_or_else(|| "our server".to_owned());
    let sources =
        arguments.source.iter().map(|source| named("source", source)).map(|(_, name, at)| (name, at)).collect();
    Ok(Answers { name, rulebook, fetched, installs, sources })
}

/// What a rulebook that was fetched is called here: after its game.
fn file_for(fetched: &Fetched) -> String {
    let plain: String =
        fetched.game.to_lowercase().chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect();
    let words: Vec<&str> = plain.split('-').filter(|word| !word.is_empty()).collect();
    if words.is_empty() { "game.rulebook.toml".to_owned() } else { format!("{}.rulebook.toml", words.join("-")) }
}

/// The one rulebook that lies in a folder.
fn only_rulebook(folder: &Path) -> Option<String> {
    let names = std::fs::read_dir(folder).ok()?.filter_map(|entry| entry.ok()?.file_name().into_string().ok());
    let mut rulebooks = names.filter(|name| name.ends_with(".rulebook.toml"));
    let first = rulebooks.next()?;
    rulebooks.next().is_none().then_some(first)
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

/// `NAME=FOLDER`, or a folder that is called by its own name.
fn named(role: &'static str, text: &str) -> (&'static str, String, String) {
    let own_name = |at: &str| at.trim_end_matches(['/', '\\']).rsplit(['/', '\\']).next().unwrap_or(role).to_owned();
    match text.split_once('=') {
        Some((name, at)) if !name.is_empty() && !name.contains(['/', '\\']) => (role, name.to_owned(), at.to_owned()),
        _ => (role, own_name(text), text.to_owned()),
    }
}

fn document(answers: &Answers) -> Result<String, Failure> {
    let mut document = DocumentMut::new();
    document.insert("format", value(config::FORMAT));
    document.insert("name", value(&answers.name));
    document.insert("rulebook", value(&answers.rulebook));
    if let Some(fetched) = &answers.fetched {
        let mut from = Table::new();
        from.decor_mut().set_prefix("\n# Where the rulebook came from: kanon rulebook renew looks there again.\n");
        from.insert("at", value(&fetched.pin.at));
        from.insert("blake3", value(fetched.pin.blake3.to_string()));
        document.insert("rulebook-from", Item::Table(from));
    }
    let mut policy = Table::new();
    policy.insert("client-extras", value("keep"));
    policy.key_mut("client-extras").into_iter().for_each(|mut key| {
        key.leaf_decor_mut().set_prefix("# A player's own client-only mods: keep, ask or forbid.\n");
    });
    document.insert("policy", Item::Table(policy));
    let mut installs = Table::new();
    installs.set_implicit(true);
    for (role, name, at) in &answers.installs {
        if installs.contains_key(name) {
            return Err(
                Failure::plain(format!("two installs are called {name}")).hint("name them: --client NAME=FOLDER")
            );
        }
        let mut table = Table::new();
        table.insert("role", value(*role));
        table.insert("at", value(at));
        installs.insert(name, Item::Table(table));
    }
    document.insert("install", Item::Table(installs));
    let mut sources = Table::new();
    sources.set_implicit(true);
    for (name, at) in &answers.sources {
        let mut table = Table::new();
        table.insert("at", value(at));
        sources.insert(name, Item::Table(table));
    }
    document.insert("source", Item::Table(sources));
    Ok(format!("{HEAD}{document}"))
}
