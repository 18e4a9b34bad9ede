//! The command line.

mod clips;
mod compare;
mod fit_stock;
mod frames;
mod gaps;
mod handoff;
mod inspect;
mod kept;
mod matching;
mod read;
mod table;
mod unpick;

use crate::files::{self, Failure, Outcome};
use clap::{Args, Parser, Subcommand, ValueEnum};
use lantern_core::colour::{Encoding, Reference};
use std::net::SocketAddr;
use std::path::PathBuf;

/// Look design for film and series.
#[derive(Parser)]
#[command(version, about)]
pub struct Arguments {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Serve the page and its API.
    Serve(Serve),
    /// Bake a look to a table, and prove it.
    Bake(table::Bake),
    /// Run a look on pictures exactly.
    Render(table::Render),
    /// Run a table on pictures.
    Apply(table::Apply),
    /// Make a package: every file of a delivery plan, proven.
    Deliver(handoff::Deliver),
    /// Hold a package against its manifest.
    Verify(handoff::Verify),
    /// Say which table that was handed off a file is, or what became of it.
    Identify(handoff::Identify),
    /// Colour difference of two pictures: mean, 99th percentile, worst and where.
    Compare(compare::Compare),
    /// Make a film stock from measurements.
    FitStock(fit_stock::FitStock),
    /// Match a shot to references with ordinary steps.
    Match(matching::Match),
    /// Take a table apart into steps, with what they leave of it.
    Unpick(unpick::UnpickTable),
    /// Read a picture, a table or a look: tones, tints, saturation, hues.
    Read(read::Read),
    /// Say what a table, look, camera profile or picture is.
    Inspect(inspect::Inspect),
    /// List encodings: ids and what they are.
    Encodings {
        /// Print JSON.
        #[arg(long)]
        json: bool,
    },
    /// Print a description of the program's own interfaces.
    Describe {
        /// Which one.
        what: Description,
    },
}

#[derive(Clone, Copy, ValueEnum)]
enum Description {
    /// OpenAPI of the server's JSON API.
    Openapi,
    /// What a message of the preview socket is made of, as TypeScript.
    Socket,
    /// Numbers that server and page both know, as TypeScript.
    Constants,
    /// JSON Schema of look files.
    Look,
}

#[derive(Args)]
struct Serve {
    /// Folder of the database and the media.
    #[arg(long, default_value = "data")]
    data: PathBuf,
    /// Address to listen on. Beyond this machine only with --open-to-network: the page has no log-in.
    #[arg(long, default_value = "127.0.0.1:7171")]
    listen: SocketAddr,
    /// Listen beyond this machine. Whoever reaches the address can see, change and delete everything.
    #[arg(long)]
    open_to_network: bool,
    /// A folder on this machine that footage may be brought in from; may be given several times.
    #[arg(long, value_name = "DIR")]
    footage: Vec<PathBuf>,
    /// Put the demo production into a data folder that has none.
    #[arg(long)]
    demo: bool,
}

/// Does what the command line says.
pub fn run(arguments: Arguments) -> Outcome<()> {
    match arguments.command {
        Command::Serve(a) => serve(&a),
        Command::Bake(a) => a.run(),
        Command::Render(a) => a.run(),
        Command::Apply(a) => a.run(),
        Command::Deliver(a) => a.run(),
        Command::Verify(a) => a.run(),
        Command::Identify(a) => a.run(),
        Command::Compare(a) => a.run(),
        Command::FitStock(a) => a.run(),
        Command::Match(a) => a.run(),
        Command::Unpick(a) => a.run(),
        Command::Read(a) => a.run(),
        Command::Inspect(a) => a.run(),
        Command::Encodings { json: true } => {
            let all: Vec<_> = Encoding::shipped()
                .map(|e| {
                    let scene = e.reference == Reference::Scene;
                    serde_json::json!({
                        "id": e.id,
                        "name": e.name,
                        "title": e.title,
                        "reference": if scene { "scene" } else { "display" },
                        "linear": e.is_linear(),
                        "peak": (!scene).then_some(e.peak),
                    })
                })
                .collect();
            println!("{:#}", serde_json::Value::from(all));
            Ok(())
        }
        Command::Encodings { json: false } => {
            for e in Encoding::shipped() {
                let side = if e.reference == Reference::Scene { "scene" } else { "display" };
                println!("{:<15} {:<8} {:<26} {}", e.id, side, e.name, e.title);
            }
            Ok(())
        }
        Command::Describe { what } => {
            let document = match what {
                Description::Openapi => lantern_server::api::openapi::build(),
                Description::Look => lantern_core::look::schema::look_schema(),
                Description::Constants => {
                    print!("{}", lantern_server::api::constants::typescript());
                    return Ok(());
                }
                Description::Socket => {
                    print!("{}", lantern_server::preview::layout::typescript());
                    return Ok(());
                }
            };
            println!("{document:#}");
            Ok(())
        }
    }
}

fn serve(a: &Serve) -> Outcome<()> {
    if !a.listen.ip().is_loopback() {
        if !a.open_to_network {
            return Err(Failure(format!(
                "{} is beyond this machine, and there is no log-in: everybody who reaches it could see, change and delete \
                 everything. Say --open-to-network if that is what you want",
                a.listen
            )));
        }
        eprintln!(
            "dusky-lantern: open to the network: whoever reaches {} can see, change and delete every production, without a log-in",
            a.listen
        );
    }
    crate::memory::in_small_pages();
    let filter = tracing_subscriber::EnvFilter::try_from_default_env().unwrap_or_else(|_| "warn".into());
    tracing_subscriber::fmt().with_env_filter(filter).with_writer(std::io::stderr).init();
    let data = lantern_server::Data::open(&a.data).map_err(|e| Failure(e.cause()))?;
    if a.demo {
        crate::demo::prepare(&data)?;
    }
    let ready = |address| println!("Dusky Lantern is at http://{address}");
    let folders = lantern_server::media::folders::Folders::new(&a.footage)
        .map_err(|e| Failure(format!("a folder given with --footage cannot be opened: {e}")))?;
    let demo = lantern_server::Demo(|data| crate::demo::prepare(data).map_err(|e| e.to_string()));
    lantern_server::serve(
        data,
        folders,
        demo,
        a.listen,
        lantern_server::guard::Open(a.open_to_network),
        ready,
    )
    .map_err(|e| Failure(format!("{}: {e}", a.listen)))
}

/// Reads an encoding by its id or profile file.
fn encoding(name: &str) -> Outcome<Encoding> {
    files::encoding(name)
}

#[cfg(test)]
mod tests {
    use clap::CommandFactory;

    #[test]
    fn every_command_is_whole() {
        super::Arguments::command().debug_assert();
    }
}
