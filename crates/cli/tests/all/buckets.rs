//! A catalogue in a bucket: a real S3 server in this process, and the built program with credentials in its environment.

use crate::stage::{Said, Stage, said};
use hyper_util::rt::{TokioExecutor, TokioIo};
use hyper_util::server::conn::auto::Builder;
use rstest::rstest;
use s3s::auth::SimpleAuth;
use s3s::service::S3ServiceBuilder;
use s3s_fs::FileSystem;

/// Serves the folders of a root as buckets, on a free port, until the test ends.
pub fn serve(root: &std::path::Path) -> u16 {
    let mut builder = S3ServiceBuilder::new(FileSystem::new(root).unwrap());
    builder.set_auth(SimpleAuth::from_single("teal", "low-water"));
    let service = builder.build();
    let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    listener.set_nonblocking(true).unwrap();
    let port = listener.local_addr().unwrap().port();
    std::thread::spawn(move || {
        let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build().unwrap();
        let local = tokio::task::LocalSet::new();
        local.block_on(&runtime, async move {
            let listener = tokio::net::TcpListener::from_std(listener).unwrap();
            while let Ok((socket, _)) = listener.accept().await {
                let service = service.clone();
                tokio::task::spawn_local(async move {
                    let server = Builder::new(TokioExecutor::new());
                    drop(server.serve_connection(TokioIo::new(socket), service).await);
                });
            }
        });
    });
    port
}

#[test]
fn mods_are_taken_from_a_bucket_with_credentials_and_not_without() {
    let stage = Stage::bare();
    stage.world.evening("reach").unwrap();
    std::fs::create_dir_all(stage.path("buckets/mods")).unwrap();
    std::fs::rename(stage.path("reach/shop"), stage.path("buckets/mods/reach")).unwrap();
    stage
        .kanon(["-C", "reach", "catalogue", "../buckets/mods/reach", "--rulebook", "reach.rulebook.toml"])
        .ends_with(1);
    let endpoint = format!("http://127.0.0.1:{}", serve(&stage.path("buckets")));
    let kanon = |words: &[&str], secret: &str| -> Said {
        let mut command = stage.command(["-C", "reach"].iter().chain(words));
        command.envs([
            ("AWS_ENDPOINT_URL", endpoint.as_str()),
            ("AWS_ALLOW_HTTP", "true"),
            ("AWS_REGION", "us-east-1"),
        ]);
        command.envs([("AWS_ACCESS_KEY_ID", "teal"), ("AWS_SECRET_ACCESS_KEY", secret)]);
        said(command)
    };
    let init = ["init", "--name", "Low Water", "--rulebook", "reach.rulebook.toml", "--server", "hall"];
    kanon(&[&init[..], &["--source", "bucket=s3://mods/reach/"]].concat(), "low-water").ends_with(0);
    let refused = kanon(&["take", "reed-beds"], "high-water").ends_with(2);
    assert!(
        refused.err.contains("s3://mods/reach/ can't be used") && !refused.err.contains("high-water"),
        "{}",
        refused.err
    );
    kanon(&["take", "reed-beds"], "low-water").ends_with(0).says("new     reed-beds 1.0, from bucket");
    kanon(&["seal"], "low-water").ends_with(0).says("sealed: Low Water, 2 mods");
    kanon(&["align", "hall", "--yes"], "low-water").ends_with(0);
    assert!(stage.path("reach/hall/holds/reed-beds/stock/reeds.hold").exists());
    for text in [stage.read("reach/kanon.toml"), stage.read("reach/canon.json")] {
        assert!(!text.contains("low-water"), "{text}");
    }
}

#[rstest]
#[case::a_bucket_that_is_not_there("s3://moods/reach/", &[], "there is no such")]
#[case::a_server_that_is_not_named("s3://mods/reach/", &[("AWS_ENDPOINT_URL", "")], "AWS_ENDPOINT_URL=https://s3.example.org")]
#[case::an_open_line("s3://mods/reach/", &[("AWS_ALLOW_HTTP", "")], "AWS_ALLOW_HTTP=true allows it")]
#[case::half_a_login("s3://mods/reach/", &[("AWS_SECRET_ACCESS_KEY", "")], "AWS_SECRET_ACCESS_KEY is not")]
#[case::nobody("s3://mods/reach/", &[("AWS_ACCESS_KEY_ID", ""), ("AWS_SECRET_ACCESS_KEY", "")], "does not let us in")]
fn what_is_wrong_with_a_bucket_is_told(#[case] at: &str, #[case] set: &[(&str, &str)], #[case] told: &str) {
    let stage = Stage::bare();
    stage.world.evening("reach").unwrap();
    std::fs::create_dir_all(stage.path("buckets/mods")).unwrap();
    let endpoint = format!("http://127.0.0.1:{}", serve(&stage.path("buckets")));
    let kanon = |words: &[&str]| -> Said {
        let mut command = stage.command(["-C", "reach"].iter().chain(words));
        command.envs([
            ("AWS_ENDPOINT_URL", endpoint.as_str()),
            ("AWS_ALLOW_HTTP", "true"),
            ("AWS_REGION", "us-east-1"),
            ("AWS_ACCESS_KEY_ID", "teal"),
            ("AWS_SECRET_ACCESS_KEY", "low-water"),
            ("KANON_PATIENCE", "1"),
        ]);
        command.envs(set.iter().copied());
        said(command)
    };
    let source = format!("bucket={at}");
    let init =
        ["init", "--name", "Low Water", "--rulebook", "reach.rulebook.toml", "--server", "hall", "--source", &source];
    kanon(&init).ends_with(0);
    let refused = kanon(&["take", "reed-beds"]).ends_with(2);
    assert!(refused.err.contains(told), "{}", refused.err);
}
