//! `kanon serve`: a release over HTTP.

use std::net::{IpAddr, SocketAddr};

use kanon_app::publishing::serve;

use crate::Outcome;
use crate::arguments::Serve;
use crate::env::Env;
use crate::failure::Failure;
use crate::ui::Ui;

pub fn run(arguments: &Serve, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    serve(&env.machine, &arguments.dest, &arguments.listen, |address| ui.report(&told(address)))?;
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
