//! One folder served in one of the ways in which an install can be reached, for tests that run over all of them.

use std::path::Path;
use std::sync::Arc;

use super::{Mishap, PASSWORD, ftp, real, sftp};
use crate::stage::Stage;

/// A way to reach an install.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Way {
    /// A folder on this machine.
    Folder,
    /// FTP with all that is good.
    Ftp,
    /// FTP with listings for people, and nothing else.
    OldFtp,
    /// FTP with digests.
    FtpDigests,
    /// SFTP alone.
    Sftp,
    /// SFTP with a shell.
    SftpShell,
    /// OpenSSH's server, if it is there.
    RealSsh,
    /// One FTP server, over TLS, if it is there.
    RealProftpd,
    /// Another FTP server, if it is there.
    RealVsftpd,
}

/// A folder that is served.
pub struct Site {
    pub address: String,
    pub mishap: Arc<Mishap>,
    host_key: Option<String>,
    key: Option<String>,
    /// Stops a real server when the test ends.
    _real: Option<real::Server>,
}

impl Site {
    /// Serves a folder in some way; nothing if that takes a server which is not installed.
    pub fn serve(way: Way, folder: &Path) -> Option<Self> {
        let plain = |address: String, mishap| Self { address, mishap, host_key: None, key: None, _real: None };
        let at_ftp = |manners| {
            let host = ftp::FtpHost::serve(folder, manners);
            plain(format!("ftp://ines@127.0.0.1:{}", host.port), host.mishap)
        };
        let at_sftp = |manners| {
            let host = sftp::SftpHost::serve(folder, manners);
            let address = format!("sftp://ines@127.0.0.1:{}/", host.port);
            Self { host_key: Some(host.fingerprint), ..plain(address, host.mishap) }
        };
        let real = |server: Option<real::Server>| {
            let (host_key, key) = (server.as_ref()?.host_key.clone(), server.as_ref()?.key.clone());
            let address = server.as_ref()?.address.clone();
            Some(Self { host_key, key, _real: server, ..plain(address, Arc::default()) })
        };
        match way {
            Way::Folder => Some(plain(folder.display().to_string(), Arc::default())),
            Way::Ftp => Some(at_ftp(ftp::Manners { renames_over: true, ..ftp::Manners::default() })),
            Way::OldFtp => Some(at_ftp(ftp::Manners { machine_lists: false, ..ftp::Manners::default() })),
            Way::FtpDigests => Some(at_ftp(ftp::Manners { digests: true, ..ftp::Manners::default() })),
            Way::Sftp => Some(at_sftp(sftp::Manners::default())),
            Way::SftpShell => Some(at_sftp(sftp::Manners { runs_commands: true, ..sftp::Manners::default() })),
            Way::RealSsh => real(real::openssh(folder)),
            Way::RealProftpd => real(real::proftpd(folder)),
            Way::RealVsftpd => real(real::vsftpd(folder)),
        }
    }

    /// Lets an install of the workspace be reached here.
    pub fn take(&self, stage: &mut Stage, name: &str) {
        let wishes = stage.read("kanon.toml");
        let mut lines = format!("at = \"{}\"", self.address);
        lines.extend(self.host_key.iter().map(|key| format!("\nhost-key = \"{key}\"")));
        lines.extend(self.key.iter().map(|key| format!("\nkey = \"{key}\"")));
        let now = wishes.replace(&format!("at = \"{name}\""), &lines);
        assert_ne!(now, wishes, "{name} is an install of the workspace");
        stage.write("kanon.toml", now);
        stage.env.push(("KANON_PASSWORD".to_owned(), PASSWORD.to_owned()));
    }
}
