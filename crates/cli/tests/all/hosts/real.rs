//! Real servers of other makers, started for one test on a port of their own, if they are installed.

use std::net::{TcpListener, TcpStream};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use super::PASSWORD;

/// A server that runs until it is dropped.
pub struct Server {
    pub address: String,
    pub host_key: Option<String>,
    pub key: Option<String>,
    child: Option<Child>,
    room: Option<tempfile::TempDir>,
}

impl Drop for Server {
    fn drop(&mut self) {
        if let Some(child) = &mut self.child {
            drop(child.kill());
            drop(child.wait());
        }
        drop(self.room.take());
    }
}

/// The program, from its usual place or from where `KANON_TEST_SERVERS` says; says so if it is missing.
fn program(name: &str) -> Option<PathBuf> {
    let extra = std::env::var_os("KANON_TEST_SERVERS").map(PathBuf::from).unwrap_or_default();
    let found = [extra.as_path(), Path::new("/usr/sbin"), Path::new("/usr/bin")]
        .iter()
        .map(|folder| folder.join(name))
        .find(|path| path.is_file());
    if found.is_none() || !is_root() {
        eprintln!("skipped: {name} is not installed, or this is not root, who alone may start it");
        return None;
    }
    found
}

fn is_root() -> bool {
    Command::new("id").arg("-u").output().is_ok_and(|output| output.stdout.starts_with(b"0\n"))
}

fn free_port() -> u16 {
    TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port()
}

fn started(mut command: Command, port: u16) -> Child {
    let child = command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
    let until = Instant::now() + Duration::from_secs(10);
    while TcpStream::connect(("127.0.0.1", port)).is_err() {
        assert!(Instant::now() < until, "{command:?} did not come up");
        std::thread::sleep(Duration::from_millis(50));
    }
    child
}

fn run(program: &str, words: &[&str]) -> String {
    let output = Command::new(program).args(words).stdin(Stdio::null()).output().unwrap();
    assert!(output.status.success(), "{program}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8_lossy(&output.stdout).into_owned()
}

/// OpenSSH's server: a login by key, and a shell that computes digests.
pub fn openssh(folder: &Path) -> Option<Server> {
    let (sshd, _) = (program("sshd")?, program("ssh-keygen")?);
    let room = tempfile::tempdir().unwrap();
    let at = |name: &str| room.path().join(name).display().to_string();
    for name in ["host", "guest"] {
        run("ssh-keygen", &["-q", "-t", "ed25519", "-N", "", "-f", &at(name)]);
    }
    let port = free_port();
    let config = format!(
        "Port {port}\nListenAddress 127.0.0.1\nHostKey {}\nAuthorizedKeysFile {}\nStrictModes no\nUsePAM no\n\
         PidFile none\nPermitRootLogin yes\nSubsystem sftp internal-sftp\nMaxStartups 50\n",
        at("host"),
        at("guest.pub")
    );
    std::fs::write(room.path().join("config"), config).unwrap();
    std::fs::create_dir_all("/run/sshd").unwrap();
    let shown = run("ssh-keygen", &["-l", "-f", &at("host.pub")]);
    let mut command = Command::new(sshd);
    command.args(["-D", "-f", &at("config")]);
    let child = started(command, port);
    Some(Server {
        address: format!("sftp://root@127.0.0.1:{port}{}", folder.display()),
        host_key: shown.split(' ').nth(1).map(str::to_owned),
        key: Some(at("guest")),
        child: Some(child),
        room: Some(room),
    })
}

/// An FTP server with machine listings and digests, over TLS with a certificate of its own.
pub fn proftpd(folder: &Path) -> Option<Server> {
    let proftpd = program("proftpd")?;
    if program("ftpasswd").is_none() || program("openssl").is_none() {
        return None;
    }
    let room = tempfile::tempdir().unwrap();
    let at = |name: &str| room.path().join(name).display().to_string();
    let words = ["req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", "/CN=longnight.example"];
    run("openssl", &[&words[..], &["-keyout", &at("key"), "-out", &at("cert")]].concat());
    let print = run("openssl", &["x509", "-in", &at("cert"), "-outform", "DER", "-out", &at("der")]);
    drop(print);
    let fingerprint = {
        use base64::Engine as _;
        let der = std::fs::read(room.path().join("der")).unwrap();
        let digest: kanon_core::base::digest::Sha256 = kanon_core::base::digest::Sha256::of(&der);
        format!("SHA256:{}", base64::engine::general_purpose::STANDARD_NO_PAD.encode(digest.as_bytes()))
    };
    let hash = run("openssl", &["passwd", "-6", PASSWORD]);
    let user = format!("ines:{}:0:0::{}:/bin/sh\n", hash.trim(), folder.display());
    std::fs::write(room.path().join("users"), user).unwrap();
    use std::os::unix::fs::PermissionsExt;
    std::fs::set_permissions(room.path().join("users"), std::fs::Permissions::from_mode(0o600)).unwrap();
    let port = free_port();
    let config = format!(
        "ModulePath /usr/lib/proftpd\nLoadModule mod_tls.c\nLoadModule mod_digest.c\nServerType standalone\n\
         DefaultServer on\nPort {port}\nDefaultAddress 127.0.0.1\nUser root\nGroup root\nRootLogin on\nRequireValidShell off\n\
         UseReverseDNS off\nWtmpLog none\nTransferLog none\nSystemLog {0}/log\nPidFile {0}/pid\nScoreboardFile none\n\
         DelayEngine off\nAuthOrder mod_auth_file.c\nAuthUserFile {0}/users\nDefaultRoot {1}\nAllowOverwrite on\n\
         AllowStoreRestart on\nTLSEngine on\nTLSRequired on\nTLSRSACertificateFile {0}/cert\nTLSRSACertificateKeyFile {0}/key\n\
         TLSLog {0}/tls.log\nDigestEngine on\nDigestAlgorithms sha256\n",
        room.path().display(),
        folder.display()
    );
    std::fs::write(room.path().join("config"), config).unwrap();
    let mut command = Command::new(proftpd);
    command.args(["-n", "-q", "-c", &at("config")]);
    let child = started(command, port);
    Some(Server {
        address: format!("ftps://ines@127.0.0.1:{port}/"),
        host_key: Some(fingerprint),
        key: None,
        child: Some(child),
        room: Some(room),
    })
}

/// An FTP server that has listings for people alone, and lets anybody in.
pub fn vsftpd(folder: &Path) -> Option<Server> {
    let vsftpd = program("vsftpd")?;
    // Written by whoever set the machine up for tests: anybody gets in by it.
    if !Path::new("/etc/pam.d/kanon-test").is_file() {
        eprintln!("skipped: vsftpd wants the file /etc/pam.d/kanon-test, which .ci/run writes");
        return None;
    }
    let room = tempfile::tempdir().unwrap();
    std::fs::create_dir_all("/var/run/vsftpd/empty").unwrap();
    let port = free_port();
    let config = format!(
        "listen=YES\nlisten_port={port}\nlisten_address=127.0.0.1\nbackground=NO\nanonymous_enable=NO\nlocal_enable=YES\n\
         write_enable=YES\nlocal_umask=022\npam_service_name=kanon-test\ncheck_shell=NO\nseccomp_sandbox=NO\n\
         xferlog_enable=NO\nmdtm_write=YES\n"
    );
    let file = room.path().join("config");
    std::fs::write(&file, config).unwrap();
    let mut command = Command::new(vsftpd);
    command.arg(&file);
    let child = started(command, port);
    Some(Server {
        address: format!("ftp://root@127.0.0.1:{port}{}", folder.display()),
        host_key: None,
        key: None,
        child: Some(child),
        room: Some(room),
    })
}

/// A web server of another maker, serving a folder.
pub fn nginx(folder: &Path) -> Option<Server> {
    let nginx = program("nginx")?;
    let room = tempfile::tempdir().unwrap();
    let at = |name: &str| room.path().join(name).display().to_string();
    let port = free_port();
    let config = format!(
        "daemon off;\nuser root;\npid {};\nerror_log {};\nevents {{}}\nhttp {{ access_log off; server {{ listen 127.0.0.1:{port}; root {}; }} }}\n",
        at("pid"),
        at("log"),
        folder.display()
    );
    std::fs::write(room.path().join("config"), config).unwrap();
    let mut command = Command::new(nginx);
    command.args(["-c", &at("config"), "-p", &at(".")]);
    let child = started(command, port);
    Some(Server {
        address: format!("http://127.0.0.1:{port}/"),
        host_key: None,
        key: None,
        child: Some(child),
        room: Some(room),
    })
}
