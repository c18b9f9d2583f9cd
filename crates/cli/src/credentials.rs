//! Who is let through to a host: passwords from the environment, the system's key ring or a person, and the word of a
//! person on a host's key.

use std::path::{Path, PathBuf};
use std::sync::Mutex;

use kanon_io::install::{Address, Credentials, HostKey, KnownHosts, Login, Secret, Standing, locked};

use crate::env::Env;
use crate::screen;

/// What the key ring calls what Kanon keeps in it.
const SERVICE: &str = "kanon";

/// Stands at the door of one host.
pub struct AskedCredentials {
    /// What the key ring and questions call the host: user and host.
    account: String,
    login: Login,
    pinned: Option<String>,
    hosts: KnownHosts,
    can_ask: bool,
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
    pub fn new(env: &Env, (name, address): (&str, &Address), key: Option<PathBuf>, host_key: Option<String>) -> Self {
        let user = address.user.clone().or_else(|| env.variable("KANON_USER").map(str::to_owned));
        let user = user.or_else(|| match address.scheme {
            kanon_io::install::Scheme::Sftp => env.user().map(str::to_owned),
            _ => Some("anonymous".to_owned()),
        });
        let user = user.unwrap_or_default();
        let usual = || {
            let names = ["id_ed25519", "id_ecdsa", "id_rsa"];
            let folder = env.home().map(|home| home.join(".ssh"));
            folder.into_iter().flat_map(move |f| names.map(|name| f.join(name))).filter(|path| path.is_file()).collect()
        };
        let keys = key.map_or_else(usual, |key| vec![key]);
        let agent = env.variable("SSH_AUTH_SOCK").map(PathBuf::from);
        let own_word = format!("KANON_PASSWORD_{}", name.to_uppercase().replace(|c: char| !c.is_alphanumeric(), "_"));
        let given = env.variable(&own_word).or_else(|| env.variable("KANON_PASSWORD"));
        Self {
            account: format!("{}://{user}@{}", address.scheme.as_str(), address.authority()),
            login: Login { user, agent, keys },
            pinned: host_key,
            hosts: KnownHosts {
                own: env.config().map(|folder| folder.join("known-hosts")),
                ssh: env.home().map(|home| home.join(".ssh").join("known_hosts")),
            },
            can_ask: env.can_ask,
            given: given.map(|text| Secret::new(text.to_owned())),
            passphrase: env.variable("KANON_PASSPHRASE").map(|text| Secret::new(text.to_owned())),
            known: Mutex::default(),
        }
    }

    fn in_key_ring(&self) -> Option<Secret> {
        keyring::Entry::new(SERVICE, &self.account).ok()?.get_password().ok().map(Secret::new)
    }

    fn asked(&self, question: &str) -> Option<Secret> {
        if !self.can_ask {
            return None;
        }
        dialoguer::Password::new().with_prompt(screen::plain(question)).interact().ok().map(Secret::new)
    }

    fn confirmed(&self, question: &str) -> bool {
        self.can_ask
            && dialoguer::Confirm::new().with_prompt(screen::plain(question)).default(false).interact().unwrap_or(false)
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
        self.asked(&format!("Password for {}", self.account))
    }

    fn passphrase(&self, key: &Path) -> Option<Secret> {
        self.passphrase.clone().or_else(|| self.asked(&format!("Passphrase of the key {}", key.display())))
    }

    fn welcomed(&self, password: &Secret) {
        let first = {
            let mut known = locked(&self.known);
            known.password.replace(password.clone()).is_none() && known.typed
        };
        if first && self.confirmed("Keep it in the system's key ring?") {
            let kept =
                keyring::Entry::new(SERVICE, &self.account).and_then(|entry| entry.set_password(password.reveal()));
            if kept.is_err() {
                // Many machines have no key ring; the next run asks again, and that is all.
                drop(kept);
            }
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
        let question = format!(
            "Nobody here has seen the host {} before. It shows the key\n  {}\nIf you can, compare it with what your hoster says. Is it the right one?",
            key.host, key.fingerprint
        );
        if !self.confirmed(&question) {
            return Standing::Unknown;
        }
        locked(&self.known).trusted.push(key.clone());
        // A key that can't be kept is asked about again the next time.
        let _ = self.hosts.learn(key);
        Standing::Trusted
    }
}
