//! Hosts whose keys somebody has said are right: a file of our own, and the one that SSH tools keep, which is only read.

use std::path::PathBuf;

use russh::keys::known_hosts::known_host_keys_path;
use russh::keys::ssh_key::PublicKey;

use super::credentials::{HostKey, Standing};
use crate::error::{During, ReachError};

/// Where known hosts are kept.
#[derive(Debug, Clone, Default)]
pub struct KnownHosts {
    /// Our own file: a host with its port and a fingerprint in each line.
    pub own: Option<PathBuf>,
    /// The file of SSH tools.
    pub ssh: Option<PathBuf>,
}

impl KnownHosts {
    /// What these files say of a key.
    pub fn standing(&self, key: &HostKey) -> Standing {
        match self.own_standing(key) {
            Standing::Unknown => self.ssh_standing(key),
            known => known,
        }
    }

    fn own_standing(&self, key: &HostKey) -> Standing {
        let text = self.own.as_ref().and_then(|path| std::fs::read_to_string(path).ok()).unwrap_or_default();
        let known: Vec<&str> = text
            .lines()
            .filter_map(|line| line.split_once(' '))
            .filter(|(host, _)| *host == key.host)
            .map(|(_, fingerprint)| fingerprint.trim())
            .collect();
        judged(&known, &key.fingerprint)
    }

    /// A host may show keys of several kinds, and only those of one kind contradict each other.
    fn ssh_standing(&self, key: &HostKey) -> Standing {
        let Some((host, port)) = key.host.rsplit_once(':') else { return Standing::Unknown };
        let (Some(path), Ok(port)) = (&self.ssh, port.parse()) else { return Standing::Unknown };
        let Some(shown) = key.ssh.as_ref().and_then(|text| PublicKey::from_openssh(text).ok()) else {
            return Standing::Unknown;
        };
        let known = known_host_keys_path(host, port, path).unwrap_or_default();
        let known: Vec<String> = known
            .iter()
            .filter(|(_, known)| known.algorithm() == shown.algorithm())
            .map(|(_, known)| known.fingerprint(russh::keys::HashAlg::Sha256).to_string())
            .collect();
        judged(&known.iter().map(String::as_str).collect::<Vec<_>>(), &key.fingerprint)
    }

    /// Takes note of a key in our own file.
    ///
    /// # Errors
    /// When there is no such file, or it can't be written.
    pub fn learn(&self, key: &HostKey) -> Result<(), ReachError> {
        use std::io::Write;
        let Some(path) = &self.own else { return Ok(()) };
        if let Some(folder) = path.parent() {
            std::fs::create_dir_all(folder).during("make the folder", folder)?;
        }
        let mut file = std::fs::File::options().create(true).append(true).open(path).during("write", path)?;
        writeln!(file, "{} {}", key.host, key.fingerprint).during("write", path)
    }
}

fn judged(known: &[&str], fingerprint: &str) -> Standing {
    match known.first() {
        None => Standing::Unknown,
        Some(_) if known.contains(&fingerprint) => Standing::Trusted,
        Some(first) => Standing::Changed { known: (*first).to_owned() },
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const KEY: &str = "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIJdD7y3aLq454yWBdwLWbieU1ebz9/cu7/QEXn9OIeZJ";
    const OTHER: &str = "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIA6rWI3G1sz07DnfFlrouTcysQlj2P+jpNSOEWD9OJ3X";

    fn key(text: &str) -> HostKey {
        let fingerprint = PublicKey::from_openssh(text).expect("a key").fingerprint(russh::keys::HashAlg::Sha256);
        HostKey {
            host: "longnight.example:2200".to_owned(),
            fingerprint: fingerprint.to_string(),
            ssh: Some(text.to_owned()),
        }
    }

    #[test]
    fn a_key_is_known_changed_or_never_seen() {
        let temp = tempfile::tempdir().expect("a folder");
        let hosts = KnownHosts { own: Some(temp.path().join("sub/hosts")), ssh: Some(temp.path().join("known_hosts")) };
        assert_eq!(hosts.standing(&key(KEY)), Standing::Unknown);
        hosts.learn(&key(KEY)).expect("written");
        assert_eq!(hosts.standing(&key(KEY)), Standing::Trusted);
        assert_eq!(hosts.standing(&key(OTHER)), Standing::Changed { known: key(KEY).fingerprint });
        let elsewhere = HostKey { host: "longnight.example:22".to_owned(), ..key(OTHER) };
        assert_eq!(hosts.standing(&elsewhere), Standing::Unknown);
    }

    #[test]
    fn the_file_of_ssh_tools_counts_too() {
        let temp = tempfile::tempdir().expect("a folder");
        let hosts = KnownHosts { own: None, ssh: Some(temp.path().join("known_hosts")) };
        std::fs::write(temp.path().join("known_hosts"), format!("[longnight.example]:2200 {KEY}\n")).expect("written");
        assert_eq!(hosts.standing(&key(KEY)), Standing::Trusted);
        assert_eq!(hosts.standing(&key(OTHER)), Standing::Changed { known: key(KEY).fingerprint });
    }
}
