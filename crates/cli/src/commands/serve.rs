//! `kanon serve`: a release over HTTP.

use std::net::{IpAddr, SocketAddr};

use kanon_core::base::path::printable;
use kanon_io::release;

use crate::Outcome;
use crate::arguments::Serve;
use crate::env::Env;
use crate::failure::Failure;
use crate::ui::Ui;

pub fn run(arguments: &Serve, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let folder = env.machine.folder.join(&arguments.dest);
    if !release::is_release(&folder) {
        let folder = printable(&folder.display().to_string());
        return Err(
            Failure::plain(format!("{folder} holds no release")).hint("publish into it first: kanon publish DEST")
        );
    }
    release::serve(&folder, &arguments.listen, |address| ui.report(&told(address))).map_err(|error| {
        Failure::from(error).hint("see that the address is this machine's and the port is free: --listen ADDRESS:PORT")
    })?;
    Ok(Outcome::InOrder)
}

fn told(address: SocketAddr) -> String {
    let note = match address.ip() {
        IpAddr::V4(ip) if ip.is_unspecified() => {
            "players reach it at this machine's own address and that port, if the router lets them\n"
        }
        _ => "",
    };
    format!("serving at http://{address}/ until this is stopped (Ctrl+C)\n{note}")
}
