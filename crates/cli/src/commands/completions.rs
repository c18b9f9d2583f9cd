//! `kanon completions` and `kanon man`: what a shell and a reader of manuals want of this program.

use std::path::Path;

use clap_mangen::Man;

use crate::arguments::{Completions, Manual};
use crate::env::Env;
use crate::failure::Failure;
use crate::ui::Ui;
use crate::{Outcome, completing, help};

/// Prints what makes a shell ask this program for what may come next.
pub fn completions(arguments: &Completions, ui: &Ui) -> Result<Outcome, Failure> {
    let out = completing::registration(arguments.shell)
        .map_err(|error| Failure::plain("the completions could not be made").because(error))?;
    ui.report(&String::from_utf8_lossy(&out));
    Ok(Outcome::InOrder)
}

/// Writes a page of the manual for each command.
pub fn manual(arguments: &Manual, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let folder = env.machine.folder.join(&arguments.folder);
    let failed = |error: std::io::Error| {
        Failure::plain(format!("the manual could not be written into {}", folder.display())).because(error)
    };
    std::fs::create_dir_all(&folder).map_err(failed)?;
    let mut command = help::command();
    command.build();
    let pages = write_pages(&command, "kanon", &folder).map_err(failed)?;
    ui.report(&format!("{pages} pages of the manual in {}\n", folder.display()));
    Ok(Outcome::InOrder)
}

fn write_pages(command: &clap::Command, name: &str, folder: &Path) -> std::io::Result<usize> {
    let mut pages = 1;
    let page = command.clone().name(name.to_owned()).display_name(name.to_owned());
    let mut out = Vec::new();
    Man::new(page).render(&mut out)?;
    std::fs::write(folder.join(format!("{name}.1")), out)?;
    for inner in command.get_subcommands().filter(|inner| !inner.is_hide_set() && inner.get_name() != "help") {
        pages += write_pages(inner, &format!("{name}-{}", inner.get_name()), folder)?;
    }
    Ok(pages)
}
