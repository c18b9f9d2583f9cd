//! Catalogues and downloads over real HTTP, from hosts that are sound, slow, or lie.

#![allow(clippy::unwrap_used, missing_docs, reason = "a test that unwraps nothing tells nothing")]

use std::path::{Path, PathBuf};
use std::time::Duration;

use kanon_core::base::digest::{Blake3, Sha256};
use kanon_core::base::limits;
use kanon_core::base::path::InstallPath;
use kanon_core::resolve::catalogue::Download;
use kanon_io::fetch::Remote;
use kanon_io::origin::Access;
use kanon_io::progress::Silent;
use kanon_io::retry::RetryPolicy;
use kanon_standin::shop::{Fault, Shop};
use rstest::rstest;

const HASTY: RetryPolicy = RetryPolicy {
    connect: Duration::from_secs(2),
    silence: Duration::from_secs(20),
    tries: 3,
    pause: Duration::from_millis(1),
};

fn hasty() -> Access {
    Access { patience: HASTY, ..Access::default() }
}

/// A name that would be another one if it were escaped once too often.
const NAME: &str = "tide [1.0] ~ü#%20.psm";

struct Stage {
    temp: tempfile::TempDir,
    payload: Vec<u8>,
}

impl Stage {
    fn new() -> Self {
        let temp = tempfile::tempdir().unwrap();
        let payload: Vec<u8> = (0..400_000u32).map(|n| n.to_le_bytes()[0] ^ n.to_le_bytes()[1]).collect();
        std::fs::create_dir_all(temp.path().join("shop/files")).unwrap();
        std::fs::write(temp.path().join("shop/files").join(NAME), &payload).unwrap();
        std::fs::write(temp.path().join("shop/catalogue.json"), "{}").unwrap();
        Self { temp, payload }
    }

    fn shop(&self, fault: Fault) -> Shop {
        Shop::open(&self.temp.path().join("shop"), fault).unwrap()
    }

    fn download(&self) -> Download {
        Download {
            file: InstallPath::new(&format!("files/{NAME}")).unwrap(),
            size: self.payload.len() as u64,
            blake3: Blake3::of(&self.payload),
            sha256: Sha256::of(&self.payload),
        }
    }

    fn kept_in(&self) -> PathBuf {
        self.temp.path().join("downloads")
    }

    fn fetch(&self, shop: &Shop, download: &Download) -> Result<PathBuf, String> {
        remote(shop).download(download, &self.kept_in(), &Silent).map_err(|error| error.to_string())
    }

    /// How many bytes lie among the downloads, part files included.
    fn kept(&self) -> u64 {
        fn bytes(folder: &Path) -> u64 {
            std::fs::read_dir(folder).map_or(0, |entries| {
                entries
                    .flatten()
                    .map(|e| if e.path().is_dir() { bytes(&e.path()) } else { e.metadata().unwrap().len() })
                    .sum()
            })
        }
        bytes(&self.kept_in())
    }
}

fn remote(shop: &Shop) -> Remote {
    Remote::open(&format!("http://127.0.0.1:{}/", shop.port), Path::new("."), &hasty()).unwrap()
}

#[rstest]
#[case::sound(Fault::None, 1)]
#[case::dropping(Fault::Cut(150_000), 3)]
#[case::dropping_and_without_ranges(Fault::NoRanges, 2)]
fn a_download_arrives_whole(#[case] fault: Fault, #[case] at_least: usize) {
    let stage = Stage::new();
    let shop = stage.shop(fault);
    let file = stage.fetch(&shop, &stage.download()).unwrap();
    assert_eq!(std::fs::read(&file).unwrap(), stage.payload);
    assert_eq!(file.file_name().unwrap().to_str(), Some(NAME));
    let answers = shop.answers();
    assert!(answers >= at_least, "{answers}");
    assert_eq!(stage.fetch(&shop, &stage.download()).unwrap(), file);
    assert_eq!(shop.answers(), answers, "what is there is not fetched again");
}

#[test]
fn a_download_goes_on_where_an_earlier_run_stopped() {
    let stage = Stage::new();
    let download = stage.download();
    let folder = stage.kept_in().join(&download.blake3.to_string()[..32]);
    std::fs::create_dir_all(&folder).unwrap();
    std::fs::write(folder.join(".part"), &stage.payload[..390_000]).unwrap();
    // The host drops the line after each 20,000 bytes: only ten thousand are left to fetch.
    let shop = stage.shop(Fault::Cut(20_000));
    let file = stage.fetch(&shop, &download).unwrap();
    assert_eq!((std::fs::read(file).unwrap(), shop.answers()), (stage.payload.clone(), 1));
}

#[test]
fn what_is_there_of_another_file_is_thrown_away_after_all() {
    let stage = Stage::new();
    let download = stage.download();
    let folder = stage.kept_in().join(&download.blake3.to_string()[..32]);
    std::fs::create_dir_all(&folder).unwrap();
    std::fs::write(folder.join(".part"), vec![b'x'; 400_000]).unwrap();
    assert!(stage.fetch(&stage.shop(Fault::None), &download).is_ok());
}

#[rstest]
#[case::digest(|d: &mut Download| d.blake3 = Blake3::of(b"other"), "nothing of it was kept")]
#[case::second_digest(|d: &mut Download| d.sha256 = Sha256::of(b"other"), "nothing of it was kept")]
#[case::too_small(|d: &mut Download| d.size -= 10, "and more came")]
#[case::too_large(|d: &mut Download| d.size += 10, "are kept for the next try")]
#[case::not_there(|d: &mut Download| d.file = InstallPath::new("files/gone").unwrap(), "there is no such file")]
fn a_catalogue_that_lies_is_found_out(#[case] lie: fn(&mut Download), #[case] expected: &str) {
    let stage = Stage::new();
    let mut download = stage.download();
    lie(&mut download);
    let told = stage.fetch(&stage.shop(Fault::None), &download).unwrap_err();
    assert!(told.contains(expected), "{told}");
    assert!(stage.kept() <= 400_000, "{}", stage.kept());
    assert!(!stage.kept_in().join(&download.blake3.to_string()[..32]).join(NAME).exists());
}

#[test]
fn an_endless_host_is_stopped() {
    let stage = Stage::new();
    let shop = stage.shop(Fault::Endless);
    assert!(stage.fetch(&shop, &stage.download()).unwrap_err().contains("and more came"));
    assert_eq!(stage.kept(), 0);
    let copy = stage.temp.path().join("copy.json");
    let told = remote(&shop).catalogue(&copy).unwrap_err().to_string();
    assert!(told.contains(&format!("larger than {} MiB", limits::CATALOGUE_BYTES >> 20)), "{told}");
    assert!(!copy.exists());
}

#[test]
fn a_catalogue_is_fetched_once_and_serves_while_the_host_is_away() {
    let stage = Stage::new();
    let copy = stage.temp.path().join("kept/shop.json");
    let shop = stage.shop(Fault::None);
    let remote = remote(&shop);
    let first = remote.catalogue(&copy).unwrap();
    assert_eq!((first.bytes.as_slice(), &first.stale), (&b"{}"[..], &None));
    std::fs::write(&copy, "the copy").unwrap();
    assert_eq!(remote.catalogue(&copy).unwrap().bytes, b"the copy", "nothing changed there, so the copy counts");
    std::fs::write(stage.temp.path().join("shop/catalogue.json"), "{ }").unwrap();
    assert_eq!(remote.catalogue(&copy).unwrap().bytes, b"{ }");
    drop(shop);
    let away = remote.catalogue(&copy).unwrap();
    assert_eq!(away.bytes, b"{ }");
    assert!(away.stale.is_some());
    std::fs::remove_file(&copy).unwrap();
    assert!(remote.catalogue(&copy).is_err());
}

#[test]
fn a_catalogue_on_a_line_that_drops_arrives_whole() {
    let stage = Stage::new();
    let text: String = (0..40_000).map(|n| format!("{n} ")).collect();
    std::fs::write(stage.temp.path().join("shop/catalogue.json"), &text).unwrap();
    for fault in [Fault::Cut(30_000), Fault::NoRanges] {
        let shop = stage.shop(fault);
        let fetched = remote(&shop).catalogue(&stage.temp.path().join(format!("{fault:?}.json"))).unwrap();
        assert!(fetched.bytes == text.as_bytes(), "{fault:?}");
        assert!(shop.answers() > 1);
    }
}

#[test]
fn a_catalogue_may_lie_in_a_folder_of_this_machine() {
    let stage = Stage::new();
    let remote = Remote::open("shop/catalogue.json", stage.temp.path(), &hasty()).unwrap();
    assert_eq!(remote.catalogue(&stage.temp.path().join("copy.json")).unwrap().bytes, b"{}");
    let file = remote.download(&stage.download(), &stage.kept_in(), &Silent).unwrap();
    assert_eq!(std::fs::read(file).unwrap(), stage.payload);
}
