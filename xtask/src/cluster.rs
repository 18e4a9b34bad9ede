//! A Slurm of one machine, for real: an array of four parts of a sequence, compared with one run bit for bit.

use crate::{Outcome, command, install, root, run};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

/// Parts of the array.
const PARTS: usize = 4;
/// Frames of the sequence.
const FRAMES: usize = 24;
/// How long anything may take.
const PATIENCE: Duration = Duration::from_secs(300);

/// Starts the daemons, hands the array in, waits, compares, and ends the daemons.
pub fn run_array() -> Outcome {
    install::slurm()?;
    run("", "cargo", &["build", "--package", "dusky-lantern"])?;
    let at = root().join("target/cluster");
    let _ = std::fs::remove_dir_all(&at);
    for folder in ["in", "whole", "parts", "state", "spool", "log"] {
        std::fs::create_dir_all(at.join(folder)).map_err(|e| e.to_string())?;
    }
    frames(&at.join("in"))?;
    let look = root().join("core/starting-looks/cold-harbour-print.json").display().to_string();
    let arguments = |out: &str| -> Vec<String> {
        let (from, to) = (at.join("in/sea.%04d.png"), at.join(out).join("graded.%04d.tiff"));
        [
            "--look",
            &look,
            "--from",
            "acescct",
            "--to",
            "rec709",
            &from.display().to_string(),
            "-o",
            &to.display().to_string(),
        ]
        .map(String::from)
        .into()
    };
    let program = root().join("target/debug/dusky-lantern");
    let done =
        Command::new(&program).arg("render").args(arguments("whole")).status().map_err(|e| e.to_string())?;
    if !done.success() {
        return Err("one run failed".into());
    }
    let cluster = Cluster::start(&at)?;
    let array = format!("--array=1-{PARTS}");
    let handed = cluster
        .tool("sbatch")
        .args(["--wait", "--parsable", &array])
        .arg(format!("--output={}/log/%a.log", at.display()))
        .arg(format!("--chdir={}", at.display()))
        .arg(root().join("deploy/render.slurm"))
        .args(arguments("parts"))
        .env("DUSKY_LANTERN", &program)
        .stdout(Stdio::null())
        .spawn();
    let mut handed = handed.map_err(|e| format!("sbatch: {e}"))?;
    let begun = Instant::now();
    let ended = loop {
        if let Some(status) = handed.try_wait().map_err(|e| e.to_string())? {
            break status;
        }
        if begun.elapsed() > PATIENCE {
            let _ = handed.kill();
            return Err(format!("the array did not end in {} s", PATIENCE.as_secs()));
        }
        std::thread::sleep(Duration::from_millis(200));
    };
    if !ended.success() {
        return Err(format!("the array failed; its logs lie in {}", at.join("log").display()));
    }
    drop(cluster);
    let (whole, parts) = (results(&at.join("whole"))?, results(&at.join("parts"))?);
    if whole.len() != FRAMES || whole != parts {
        return Err(format!(
            "{} frames of one run, {} of the array, and they differ",
            whole.len(),
            parts.len()
        ));
    }
    println!(
        "{FRAMES} frames in {PARTS} parts: the same bits as one run, {:.1} s",
        begun.elapsed().as_secs_f64()
    );
    Ok(())
}

/// A sequence of moving colours.
fn frames(folder: &Path) -> Outcome {
    let to = folder.join("sea.%04d.png").display().to_string();
    let source = format!("testsrc2=s=640x360:r=24:d={}", FRAMES as f64 / 24.0);
    run(
        "",
        "ffmpeg",
        &["-v", "error", "-f", "lavfi", "-i", &source, "-pix_fmt", "rgb48be", "-start_number", "1001", &to],
    )
}

/// Names and bytes of the pictures of a folder.
fn results(folder: &Path) -> Result<Vec<(String, Vec<u8>)>, String> {
    let entries = std::fs::read_dir(folder).map_err(|e| e.to_string())?;
    let paths = entries.filter_map(|e| e.ok().map(|e| e.path())).filter(|p| p.is_file());
    let read = |p: PathBuf| {
        let name = p.file_name().unwrap_or_default().to_string_lossy().into_owned();
        std::fs::read(&p).map(|b| (name, b)).map_err(|e| e.to_string())
    };
    let mut all = paths.map(read).collect::<Result<Vec<_>, _>>()?;
    all.sort();
    Ok(all)
}

/// The daemons, which end with it.
struct Cluster {
    at: PathBuf,
}

impl Cluster {
    fn start(at: &Path) -> Result<Self, String> {
        let cluster = Self { at: at.into() };
        let host = host()?;
        let user = if is_root() { "root" } else { "slurm" };
        let cores = std::thread::available_parallelism().map_or(1, usize::from);
        let state = at.display();
        let text = format!(
            "ClusterName=lantern\nSlurmctldHost={host}(127.0.0.1)\nSlurmUser={user}\nSlurmdUser=root\nAuthType=auth/munge\n\
             AuthInfo=socket={state}/munge.socket\nStateSaveLocation={state}/state\nSlurmdSpoolDir={state}/spool\nSlurmctldPidFile={state}/slurmctld.pid\n\
             SlurmdPidFile={state}/slurmd.pid\nSlurmctldLogFile={state}/log/slurmctld.log\nSlurmdLogFile={state}/log/slurmd.log\n\
             SlurmctldPort=16817\nSlurmdPort=16818\nProctrackType=proctrack/linuxproc\nTaskPlugin=task/none\nJobAcctGatherType=jobacct_gather/none\n\
             AccountingStorageType=accounting_storage/none\nSelectType=select/cons_tres\nReturnToService=2\nMpiDefault=none\n\
             NodeName={host} NodeAddr=127.0.0.1 CPUs={cores} State=UNKNOWN\nPartitionName=all Nodes=ALL Default=YES MaxTime=INFINITE State=UP\n"
        );
        std::fs::write(at.join("slurm.conf"), text).map_err(|e| e.to_string())?;
        let key = at.join("munge.key");
        random_key(&key)?;
        let started = Command::new("munged")
            .arg("--force")
            .arg(format!("--socket={state}/munge.socket"))
            .arg(format!("--key-file={}", key.display()))
            .arg(format!("--pid-file={state}/munged.pid"))
            .arg(format!("--log-file={state}/log/munged.log"))
            .arg(format!("--seed-file={state}/munge.seed"))
            .status();
        if !started.is_ok_and(|s| s.success()) {
            return Err(format!("munged did not start; its log lies in {state}/log"));
        }
        for daemon in ["slurmctld", "slurmd"] {
            let started = cluster.tool(daemon).status();
            if !started.is_ok_and(|s| s.success()) {
                return Err(format!("{daemon} did not start; its log lies in {state}/log"));
            }
        }
        let begun = Instant::now();
        loop {
            let said = cluster.tool("sinfo").args(["-h", "-o", "%T"]).output().map_err(|e| e.to_string())?;
            if String::from_utf8_lossy(&said.stdout).trim() == "idle" {
                return Ok(cluster);
            }
            if begun.elapsed() > PATIENCE {
                return Err(format!(
                    "the node did not come up: {}",
                    String::from_utf8_lossy(&said.stdout).trim()
                ));
            }
            std::thread::sleep(Duration::from_millis(200));
        }
    }

    /// A program of Slurm's that reads this configuration.
    fn tool(&self, name: &str) -> Command {
        let mut c = command("", name, &[]);
        c.env("SLURM_CONF", self.at.join("slurm.conf"));
        c
    }
}

impl Drop for Cluster {
    fn drop(&mut self) {
        for daemon in ["slurmd", "slurmctld", "munged"] {
            let Ok(pid) = std::fs::read_to_string(self.at.join(format!("{daemon}.pid"))) else { continue };
            let _ = Command::new("kill").arg(pid.trim()).status();
        }
    }
}

/// A key of this run's own.
fn random_key(to: &Path) -> Outcome {
    use std::io::Read;
    use std::os::unix::fs::OpenOptionsExt;
    let mut bytes = [0; 1024];
    let mut source = std::fs::File::open("/dev/urandom").map_err(|e| e.to_string())?;
    source.read_exact(&mut bytes).map_err(|e| e.to_string())?;
    let mut options = std::fs::OpenOptions::new();
    let mut file = options.write(true).create_new(true).mode(0o400).open(to).map_err(|e| e.to_string())?;
    std::io::Write::write_all(&mut file, &bytes).map_err(|e| e.to_string())
}

fn host() -> Result<String, String> {
    let said = Command::new("hostname").arg("-s").output().map_err(|e| e.to_string())?;
    Ok(String::from_utf8_lossy(&said.stdout).trim().to_owned())
}

fn is_root() -> bool {
    Command::new("id").arg("-u").output().is_ok_and(|o| String::from_utf8_lossy(&o.stdout).trim() == "0")
}
