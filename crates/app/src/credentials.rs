//! Who is let through to a host: passwords from the environment, the system's key ring or a person, and the word of a
//! person on a host's key.

use std::path::{Path, PathBuf};
use std::sync::{Arc, LazyLock, Mutex};

#[cfg(target_os = "macos")]
use apple_native_keyring_store::keychain::Store as KeyRing;
#[cfg(all(unix, not(target_os = "macos")))]
use dbus_secret_service_keyring_store::Store as KeyRing;
#[cfg(windows)]
use windows_native_keyring_store::Store as KeyRing;

use kanon_io::install::{Address, Credentials, HostKey, KnownHosts, Login, Secret, Standing, locked};

use crate::machine::Machine;
use crate::observer::Asker;

/// What the key ring calls what Kanon keeps in it.
const SERVICE: &str = "kanon";

/// Whether this machine has a key ring. It is opened once, by whoever first asks for a password.
static HAS_KEY_RING: LazyLock<bool> = LazyLock::new(|| match KeyRing::new() {
    Ok(store) => {
        keyring_core::set_default_store(store);
        true
    }
    Err(_) => false,
});

/// Stands at the door of one host.
pub struct AskedCredentials {
    /// What the key ring and questions call the host: user and host.
    account: String,
    login: Login,
    pinned: Option<String>,
    hosts: KnownHosts,
    asker: Arc<dyn Asker>,
    /// A password of the environment, tried first.
    given: Option<Secret>,
    passphrase: Option<Secret>,
    known: Mutex<Known>,
}

#[derive(Default)]
struct Known {
    /// The password that was right.
    password: Option<Secret>,
    /// Whether it was typed in.
    typed: bool,
    /// Keys that a person has judged.
    trusted: Vec<HostKey>,
}

impl AskedCredentials {
    /// For one install. `key` is the file of a private key, `host_key` the fingerprint that the host must show.
    pub fn new(
        machine: &Machine,
        asker: Arc<dyn Asker>,
        (name, address): (&str, &Address),
        key: Option<PathBuf>,
        host_key: Option<String>,
    ) -> Self {
        let user = address.user.clone().or_else(|| machine.variable("KANON_USER").map(str::to_owned));
        let user = user.or_else(|| match address.scheme {
            kanon_io::install::Scheme::Sftp => machine.user().map(str::to_owned),
            _ => Some("anonymous".to_owned()),
        });
        let user = user.unwrap_or_default();
        let usual = || {
            let names = ["id_ed25519", "id_ecdsa", "id_rsa"];
            let folder = machine.home().map(|home| home.join(".ssh"));
            folder.into_iter().flat_map(move |f| names.map(|name| f.join(name))).filter(|path| path.is_file()).collect()
        };
        let keys = key.map_or_else(usual, |key| vec![key]);
        let agent = machine.variable("SSH_AUTH_SOCK").map(PathBuf::from);
        let own_word = format!("KANON_PASSWORD_{}", name.to_uppercase().replace(|c: char| !c.is_alphanumeric(), "_"));
        let given = machine.variable(&own_word).or_else(|| machine.variable("KANON_PASSWORD"));
        Self {
            account: format!("{}://{user}@{}", address.scheme.as_str(), address.authority()),
            login: Login { user, agent, keys },
            pinned: host_key,
            hosts: KnownHosts {
                own: machine.config().map(|folder| folder.join("known-hosts")),
                ssh: machine.home().map(|home| home.join(".ssh").join("known_hosts")),
            },
            asker,
            given: given.map(|text| Secret::new(text.to_owned())),
            passphrase: machine.variable("KANON_PASSPHRASE").map(|text| Secret::new(text.to_owned())),
            known: Mutex::default(),
        }
    }

    fn entry(&self) -> Option<keyring_core::Entry> {
        HAS_KEY_RING.then(|| keyring_core::Entry::new(SERVICE, &self.account).ok()).flatten()
    }

    fn in_key_ring(&self) -> Option<Secret> {
        self.entry()?.get_password().ok().map(Secret::new)
    }
}

impl Credentials for AskedCredentials {
    fn login(&self) -> Login {
        self.login.clone()
    }

    fn password(&self, attempt: u32) -> Option<Secret> {
        if let Some(password) = locked(&self.known).password.clone() {
            return (attempt == 0).then_some(password);
        }
        let ready: Vec<Secret> = self.given.clone().into_iter().chain(self.in_key_ring()).collect();
        let attempt = attempt as usize;
        if let Some(password) = ready.get(attempt) {
            return Some(password.clone());
        }
        // Three tries at the keyboard, as everywhere.
        if attempt >= ready.len() + 3 {
            return None;
        }
        locked(&self.known).typed = true;
        self.asker.password(&self.account)
    }

    fn passphrase(&self, key: &Path) -> Option<Secret> {
        self.passphrase.clone().or_else(|| self.asker.passphrase(key))
    }

    fn welcomed(&self, password: &Secret) {
        let first = {
            let mut known = locked(&self.known);
            known.password.replace(password.clone()).is_none() && known.typed
        };
        if first && self.asker.may_keep_password() {
            // Many machines have no key ring; the next run asks again, and that is all.
            drop(self.entry().map(|entry| entry.set_password(password.reveal())));
        }
    }

    fn recognise(&self, key: &HostKey) -> Standing {
        if let Some(pinned) = &self.pinned {
            let is_it = *pinned == key.fingerprint;
            return if is_it { Standing::Trusted } else { Standing::Changed { known: pinned.clone() } };
        }
        if locked(&self.known).trusted.contains(key) {
            return Standing::Trusted;
        }
        let standing = self.hosts.standing(key);
        if standing != Standing::Unknown {
            return standing;
        }
        if !self.asker.trusts(key) {
            return Standing::Unknown;
        }
        locked(&self.known).trusted.push(key.clone());
        // A key that can't be kept is asked about again the next time.
        let _ = self.hosts.learn(key);
        Standing::Trusted
    }
}
