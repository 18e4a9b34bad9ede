//! What hostile requests cost the running program, and that it goes on.

use lantern_browser_tests::{Outcome, program, serve};
use serde_json::Value;
use std::process::Command;

/// The most memory that a process had, in MB.
fn most_memory(pid: u32) -> Outcome<u64> {
    let status = std::fs::read_to_string(format!("/proc/{pid}/status"))?;
    let line = status.lines().find_map(|l| l.strip_prefix("VmHWM:")).ok_or("no memory")?;
    Ok(line.trim().trim_end_matches(" kB").trim().parse::<u64>()? >> 10)
}

/// Looks that ask for more than a look is: by an unknown field, in the path, among the tables, in a name.
fn hostile() -> [(&'static str, String); 4] {
    let lists = "[],".repeat(33 << 20);
    [
        ("unknown field", format!(r#"{{"version":1,"junk":[{lists}1]}}"#)),
        ("longer than 8 MB", format!(r#"{{"version":1,"name":"a","path":[{lists}1]}}"#)),
        (
            "its tables",
            format!(r#"{{"version":1,"name":"a","path":{{"steps":[]}},"tables":{{"a":[{lists}1]}}}}"#),
        ),
        (
            "longer than 8 MB",
            format!(r#"{{"version":1,"name":"{}","path":{{"steps":[]}}}}"#, "a".repeat(99 << 20)),
        ),
    ]
}

#[test]
fn a_hostile_look_of_a_hundred_megabytes_costs_little_more_than_itself() -> Outcome {
    let data = tempfile::tempdir()?;
    let (server, url) = serve(data.path(), 0)?;
    let agent: ureq::Agent = ureq::Agent::config_builder().http_status_as_error(false).build().into();
    let productions: Value = agent.get(format!("{url}/api/productions")).call()?.body_mut().read_json()?;
    let id = productions[0]["id"].as_str().ok_or("no production")?;
    for (why, text) in hostile() {
        let asked = agent.post(format!("{url}/api/productions/{id}/looks/import")).send(text.as_bytes());
        let mut said = asked?;
        assert_eq!(said.status(), 422, "{why}");
        let said = said.body_mut().read_to_string()?;
        assert!(said.contains(why), "{why}: {said}");
    }
    // The body itself, what it grew to while it came, and the server: four times as much would be 1.5 GB.
    let most = most_memory(server.id())?;
    assert!(most < 700, "{most} MB");
    let there: Value = agent.get(format!("{url}/api/health")).call()?.body_mut().read_json()?;
    assert!(there.is_object());
    Ok(())
}

#[test]
fn beyond_this_machine_nothing_starts_unless_that_is_said_and_then_it_says_what_it_means() -> Outcome {
    let data = tempfile::tempdir()?;
    let refused = Command::new(program()?)
        .args(["serve", "--listen", "0.0.0.0:0", "--data"])
        .arg(data.path())
        .output()?;
    let said = String::from_utf8_lossy(&refused.stderr).into_owned();
    assert_eq!(refused.status.code(), Some(1), "{said}");
    assert!(said.contains("--open-to-network") && said.contains("no log-in"), "{said}");
    assert_eq!(std::fs::read_dir(data.path())?.count(), 0, "nothing was touched");
    let mut command = Command::new(program()?);
    command.args(["serve", "--open-to-network", "--listen", "0.0.0.0:0", "--data"]).arg(data.path());
    let (_server, url) = lantern_browser_tests::start_server(&mut command)?;
    let port = url.rsplit(':').next().ok_or("no port")?;
    let health = |host: &str| {
        let asked = ureq::get(format!("http://127.0.0.1:{port}/api/health")).header("host", host).call();
        asked.map(|a| a.status().as_u16()).unwrap_or(403)
    };
    assert_eq!([health(&format!("192.0.2.7:{port}")), health("example.test")], [200, 403]);
    Ok(())
}
