//! What a visitor says at the door, and what the station answers: one line of JSON each way.

use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;

use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};

use crate::holdings::Carried;

/// What a visitor says of itself.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Knock {
    pub player: String,
    pub build: String,
    pub trellis: String,
    pub mods: Vec<Carried>,
}

/// What the station answers; it never says why.
#[derive(Serialize, Deserialize)]
pub struct Answer {
    pub open: bool,
}

/// Sends a value as a line.
pub fn send(stream: &mut TcpStream, value: &impl Serialize) -> std::io::Result<()> {
    let line = serde_json::to_string(value)? + "\n";
    stream.write_all(line.as_bytes())
}

/// Receives a value as a line of at most a mebibyte.
pub fn receive<T: DeserializeOwned>(stream: &TcpStream) -> std::io::Result<T> {
    let mut line = String::new();
    BufReader::new(stream.take(1 << 20)).read_line(&mut line)?;
    Ok(serde_json::from_str(&line)?)
}
