//! Driving the real page in headless Chromium against the real program. Waits are on conditions only.

use serde_json::{Value, json};
use std::io::{BufRead, BufReader, Read};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::{Arc, Mutex, PoisonError, Weak};
use std::time::{Duration, Instant};
use tempfile::TempDir;
use thirtyfour::prelude::*;

/// What a test may fail with.
pub type Outcome<T = ()> = Result<T, Box<dyn std::error::Error + Send + Sync>>;

/// How long any condition may take to come true.
const PATIENCE: Duration = Duration::from_secs(180);

/// A child process that ends with its owner.
pub struct Running(Child);

impl Running {
    /// The process's number.
    pub fn id(&self) -> u32 {
        self.0.id()
    }

    /// Ends it at once, as a power cut would.
    pub fn kill(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        self.kill();
    }
}

/// The program that is tested: beside the tests' own folder, as cargo builds it, or what the environment
/// variable `LANTERN_PROGRAM` names.
pub fn program() -> Outcome<PathBuf> {
    if let Some(path) = std::env::var_os("LANTERN_PROGRAM") {
        return Ok(path.into());
    }
    let here = std::env::current_exe()?;
    let folder = here.ancestors().find(|p| p.join("dusky-lantern").is_file());
    Ok(folder.ok_or("dusky-lantern is not built: run `cargo build --workspace` first")?.join("dusky-lantern"))
}

/// Starts a process and gives the first line of its output that `found` takes something from.
fn start(command: &mut Command, found: impl Fn(&str) -> Option<String>) -> Outcome<(Running, String)> {
    let mut child = command.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn()?;
    let output = child.stdout.take().ok_or("no output")?;
    let mut complaints = child.stderr.take().ok_or("no output")?;
    let complaints = std::thread::spawn(move || {
        let mut said = Vec::new();
        let _ = complaints.read_to_end(&mut said);
        String::from_utf8_lossy(&said).into_owned()
    });
    let running = Running(child);
    let mut lines = BufReader::new(output).lines();
    for line in lines.by_ref() {
        if let Some(word) = found(&line?) {
            // Somebody has to go on reading, or the process stalls on a full pipe.
            std::thread::spawn(move || lines.for_each(drop));
            return Ok((running, word));
        }
    }
    let said = complaints.join().unwrap_or_default();
    Err(format!("{:?} ended before it was ready: {said}", command.get_program()).into())
}

/// Serves a data folder on `port` (0: any free one). Gives the process and its address.
pub fn serve(data: &Path, port: u16) -> Outcome<(Running, String)> {
    let listen = format!("127.0.0.1:{port}");
    let mut command = Command::new(program()?);
    command.args(["serve", "--demo", "--listen", &listen, "--data"]).arg(data);
    start_server(&mut command)
}

/// Starts a server by a command. Gives the process and its address.
pub fn start_server(command: &mut Command) -> Outcome<(Running, String)> {
    start(command, |line| line.split(" is at ").nth(1).map(str::to_owned))
}

/// Starts a driver of browsers. It looks for a free port and then takes it: where somebody else took it meanwhile, it is
/// started again.
fn chromedriver() -> Outcome<(Running, String)> {
    const TRIES: usize = 3;
    let once = || {
        start(Command::new("chromedriver").arg("--port=0"), |line| {
            line.split("successfully on port ").nth(1).map(|p| p.trim_end_matches('.').trim().to_owned())
        })
    };
    (1..TRIES).find_map(|_| once().ok()).map_or_else(once, Ok)
}

/// Dismisses the notes of all places.
const SEEN: &str = "for (const p of ['footage', 'balance', 'look', 'handoff']) localStorage.setItem(`dusky-lantern seen ${p}`, '1')";

/// A server with a fresh copy of the demo production, and a browser that looks at it.
pub struct Set {
    // Goes before the browser's own connection, which would wait for it where a test failed.
    chromedriver: Running,
    /// The browser.
    pub driver: WebDriver,
    /// The server; `None` while it is taken away.
    pub server: Option<Running>,
    /// Its address.
    pub url: String,
    /// Its data folder.
    pub data: TempDir,
    chromedriver_url: String,
    _profile: TempDir,
    _demo: Option<Arc<TempDir>>,
}

/// A data folder with the demo production in it, whose shots were looked at; made by the program once for all sets that are
/// there at the time.
fn demo_data() -> Outcome<Arc<TempDir>> {
    static MADE: Mutex<Weak<TempDir>> = Mutex::new(Weak::new());
    let mut made = MADE.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some(there) = made.upgrade() {
        return Ok(there);
    }
    let folder = Arc::new(tempfile::tempdir()?);
    let (server, url) = serve(folder.path(), 0)?;
    let get = |path: String| -> Outcome<Value> {
        Ok(ureq::get(format!("{url}/api/{path}")).call()?.body_mut().read_json()?)
    };
    let id = |v: &Value| v["id"].as_str().unwrap_or_default().to_owned();
    let production = get(format!("productions/{}", id(&get("productions".into())?[0])))?;
    for scene in production["scenes"].as_array().into_iter().flatten() {
        for shot in scene["shots"].as_array().into_iter().flatten() {
            get(format!("shots/{}/reading", id(shot)))?;
        }
    }
    drop(server);
    *made = Arc::downgrade(&folder);
    Ok(folder)
}

fn copy(from: &Path, to: &Path) -> std::io::Result<()> {
    std::fs::create_dir_all(to)?;
    for entry in std::fs::read_dir(from)? {
        let entry = entry?;
        let there = to.join(entry.file_name());
        if entry.file_type()?.is_dir() {
            copy(&entry.path(), &there)?;
        } else {
            std::fs::copy(entry.path(), there)?;
        }
    }
    Ok(())
}

impl Set {
    /// Starts everything; the page is not open yet.
    pub async fn new() -> Outcome<Self> {
        let (demo, data) = (demo_data()?, tempfile::tempdir()?);
        copy(demo.path(), data.path())?;
        let (server, url) = serve(data.path(), 0)?;
        Ok(Self { _demo: Some(demo), ..Self::around(data, server, url).await? })
    }

    /// A server with an empty data folder, and a browser that looks at it.
    pub async fn empty() -> Outcome<Self> {
        let data = tempfile::tempdir()?;
        let mut command = Command::new(program()?);
        command.args(["serve", "--listen", "127.0.0.1:0", "--data"]).arg(data.path());
        let (server, url) = start_server(&mut command)?;
        Self::around(data, server, url).await
    }

    async fn around(data: TempDir, server: Running, url: String) -> Outcome<Self> {
        let (chromedriver, port) = chromedriver()?;
        let profile = tempfile::tempdir()?;
        let mut caps = DesiredCapabilities::chrome();
        for flag in [
            "--headless",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-dev-shm-usage",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--no-first-run",
            "--hide-scrollbars",
            // The page sees 1280 x 800 below the window's own frame.
            "--window-size=1280,943",
        ] {
            caps.add_arg(flag)?;
        }
        caps.add_arg(&format!("--user-data-dir={}", profile.path().display()))?;
        caps.set("goog:loggingPrefs", json!({ "browser": "ALL" }))?;
        let chromedriver_url = format!("http://127.0.0.1:{port}");
        let driver = WebDriver::new(&chromedriver_url, caps).await?;
        // The notes of a first visit are not what most tests are about.
        driver.goto(format!("{url}/api/health")).await?;
        driver.execute(SEEN, vec![]).await?;
        Ok(Self {
            driver,
            server: Some(server),
            url,
            data,
            chromedriver,
            chromedriver_url,
            _profile: profile,
            _demo: None,
        })
    }

    /// Gives the page this many pixels.
    pub async fn resize(&self, width: u32, height: u32) -> Outcome {
        // What the browser's own window takes differs from one version to the next.
        let frame = self.js("return [outerWidth - innerWidth, outerHeight - innerHeight]").await?;
        let of = |i: usize| frame[i].as_u64().unwrap_or(0) as u32;
        self.driver.set_window_rect(0, 0, width + of(0), height + of(1)).await?;
        self.until(&format!("return innerWidth === {width} && innerHeight === {height}")).await?;
        Ok(())
    }

    /// Opens the page with a query and waits for its first exact picture.
    pub async fn open(&self, query: &str) -> Outcome {
        self.driver.goto(format!("{}/{query}", self.url)).await?;
        self.until("return window.lantern && window.lantern.settled() > 0").await?;
        Ok(())
    }

    /// Runs a script in the page.
    pub async fn js(&self, script: &str) -> Outcome<Value> {
        Ok(self.driver.execute(script, vec![]).await?.json().clone())
    }

    /// Waits until a script gives something true, and gives that.
    pub async fn until(&self, script: &str) -> Outcome<Value> {
        self.until_within(PATIENCE, script).await
    }

    /// The same of what may take longer.
    pub async fn until_within(&self, patience: Duration, script: &str) -> Outcome<Value> {
        let begun = Instant::now();
        loop {
            let value = self.js(script).await.unwrap_or(Value::Null);
            if !matches!(value, Value::Null | Value::Bool(false)) && value != json!(0) && value != json!("") {
                return Ok(value);
            }
            if begun.elapsed() > patience {
                return Err(format!("never came true: {script}").into());
            }
            tokio::time::sleep(Duration::from_millis(15)).await;
        }
    }

    /// The number of the exact picture shown now.
    pub async fn shown(&self) -> Outcome<u64> {
        let value = self.until("return window.lantern.settled()").await?;
        Ok(value.as_u64().unwrap_or(0))
    }

    /// Waits for an exact picture newer than `before`.
    pub async fn newer(&self, before: u64) -> Outcome<u64> {
        let script = format!("const s = window.lantern.settled(); return s > {before} ? s : 0");
        Ok(self.until(&script).await?.as_u64().unwrap_or(0))
    }

    /// Mean R, G and B of the picture, 0..255, and a hash of its pixels.
    pub async fn picture(&self) -> Outcome<Shown> {
        let value = self.js(PICTURE).await?;
        let number = |k: usize| value[k].as_f64().unwrap_or(f64::NAN);
        Ok(Shown { mean: [number(0), number(1), number(2)], hash: value[3].to_string() })
    }

    /// The mean of 9 x 9 pixels of the picture around a place, as shares of its width and height.
    pub async fn patch(&self, at: [f64; 2]) -> Outcome<Patch> {
        let script = format!(
            "const c = document.querySelector('canvas[data-picture]');
             const d = c.getContext('2d').getImageData(Math.round(c.width * {}) - 4, Math.round(c.height * {}) - 4, 9, 9).data;
             const sum = [0, 0, 0];
             for (let i = 0; i < d.length; i += 4) for (let k = 0; k < 3; k++) sum[k] += d[i + k] / 81;
             return sum",
            at[0], at[1]
        );
        let value = self.js(&script).await?;
        Ok(Patch([0, 1, 2].map(|k| value[k].as_f64().unwrap_or(f64::NAN))))
    }

    /// Types a value into the field of this name.
    pub async fn type_value(&self, field: &str, value: &str) -> Outcome {
        let element = self.find(&format!("input[aria-label=\"{field}, value\"]")).await?;
        element.click().await?;
        element.send_keys(value.to_owned() + Key::Enter).await?;
        Ok(())
    }

    /// Adds a step of a kind to a zone and waits for its panel.
    pub async fn add_step(&self, zone: &str, title: &str) -> Outcome {
        self.click(&format!("[aria-label=\"Add a step to the {zone} zone\"]")).await?;
        // Items may have a hint in a second line.
        self.until(&format!(
            "const e = [...document.querySelectorAll('[role=menuitem]')].find((e) => e.innerText.split('\\n')[0] === {title:?});
             e?.click(); return !!e"
        ))
        .await?;
        self.until(&format!(
            "return document.querySelector('[aria-label=\"Selected step\"] h2')?.innerText === {title:?} && window.lantern.settled()"
        ))
        .await?;
        Ok(())
    }

    /// Takes the step of this name in hand.
    pub async fn take(&self, name: &str) -> Outcome {
        self.until(&format!(
            "const e = [...document.querySelectorAll('nav[aria-label=Path] button[aria-current]')].find((e) => e.title === {name:?});
             e?.click(); return !!e"
        ))
        .await?;
        self.until("return window.lantern.settled()").await?;
        Ok(())
    }

    /// An element by CSS, once it is there.
    pub async fn find(&self, css: &str) -> Outcome<WebElement> {
        Ok(self.driver.query(By::Css(css)).wait(PATIENCE, Duration::from_millis(20)).first().await?)
    }

    /// Clicks an element.
    pub async fn click(&self, css: &str) -> Outcome {
        self.find(css).await?.click().await?;
        Ok(())
    }

    /// Clicks the one of several elements that has this text, once it is there.
    pub async fn press(&self, css: &str, text: &str) -> Outcome {
        let script = format!(
            "const e = [...document.querySelectorAll({css:?})].find((e) => e.innerText.trim() === {text:?} && !e.disabled);
             if (e) {{ e.scrollIntoView({{ block: 'nearest' }}); e.click(); }} return !!e"
        );
        self.until(&script).await?;
        Ok(())
    }

    /// Clicks with the mouse the one of several elements that has this text: errors where something lies over it or it lies
    /// outside the window.
    pub async fn push(&self, css: &str, text: &str) -> Outcome {
        let script = format!(
            "return [...document.querySelectorAll({css:?})].find((e) => e.innerText.trim() === {text:?} && !e.disabled) ?? null"
        );
        let begun = Instant::now();
        loop {
            if let Ok(found) = self.driver.execute(&script, vec![]).await?.element() {
                return Ok(found.click().await?);
            }
            if begun.elapsed() > PATIENCE {
                return Err(format!("there is no {css} that says {text}").into());
            }
            tokio::time::sleep(Duration::from_millis(15)).await;
        }
    }

    /// Chooses an option of a list by its text.
    pub async fn choose(&self, name: &str, option: &str) -> Outcome {
        self.click(&format!("[role=combobox][aria-label=\"{name}\"]")).await?;
        let found = format!(
            "const o = [...document.querySelectorAll('[role=option]')].find((e) => e.innerText === {option:?});
             o?.focus(); return !!o"
        );
        self.until(&found).await?;
        self.driver.active_element().await?.send_keys(Key::Enter + "").await?;
        Ok(())
    }

    /// Presses on the picture at shares of its width and height, and drags through the other places.
    pub async fn touch(&self, css: &str, places: &[[f64; 2]]) -> Outcome {
        let element = self.find(css).await?;
        let size = self.js(&format!("const b = document.querySelector({css:?}).getBoundingClientRect(); return [b.width, b.height]")).await?;
        let (w, h) = (size[0].as_f64().unwrap_or(0.0), size[1].as_f64().unwrap_or(0.0));
        let pixel = |p: &[f64; 2]| (((p[0] - 0.5) * w).round() as i64, ((p[1] - 0.5) * h).round() as i64);
        let Some((first, rest)) = places.split_first() else { return Ok(()) };
        let mut at = pixel(first);
        let mut chain =
            self.driver.action_chain().move_to_element_with_offset(&element, at.0, at.1).click_and_hold();
        for place in rest {
            let to = pixel(place);
            chain = chain.move_by_offset(to.0 - at.0, to.1 - at.1);
            at = to;
        }
        chain.release().perform().await?;
        Ok(())
    }

    /// Puts the focus on an element and presses keys there.
    pub async fn keys(&self, css: &str, keys: impl Into<TypingData>) -> Outcome {
        let element = self.find(css).await?;
        element.focus().await?;
        element.send_keys(keys).await?;
        Ok(())
    }

    /// Presses a key with Ctrl, wherever the focus is.
    pub async fn command(&self, key: &str) -> Outcome {
        let chain = self.driver.action_chain().key_down(Key::Control).send_keys(key).key_up(Key::Control);
        chain.perform().await?;
        Ok(())
    }

    /// Drags an element by pixels, in several moves.
    pub async fn drag(&self, css: &str, dx: i64, dy: i64) -> Outcome {
        let element = self.find(css).await?;
        let mut chain = self.driver.action_chain().move_to_element_center(&element).click_and_hold();
        for _ in 0..8 {
            chain = chain.move_by_offset(dx / 8, dy / 8);
        }
        chain.release().perform().await?;
        Ok(())
    }

    /// Everything that the browser logged as an error.
    pub async fn console_errors(&self) -> Outcome<Vec<String>> {
        let session = self.driver.session_id().to_string();
        let url = format!("{}/session/{session}/se/log", self.chromedriver_url);
        let log: Value = ureq::post(&url).send_json(json!({ "type": "browser" }))?.body_mut().read_json()?;
        let entries = log["value"].as_array().cloned().unwrap_or_default();
        Ok(entries.iter().filter(|e| e["level"] == "SEVERE").map(|e| e["message"].to_string()).collect())
    }

    /// A picture of the page as a PNG file.
    pub async fn shoot(&self, path: &Path) -> Outcome {
        self.driver.screenshot(path).await?;
        Ok(())
    }

    /// A GET on the server's API.
    pub fn get(&self, path: &str) -> Outcome<Value> {
        Ok(ureq::get(format!("{}{path}", self.url)).call()?.body_mut().read_json()?)
    }

    /// The first version of a look of the first production, as its file.
    pub fn look_file(&self, name: &str) -> Outcome<Value> {
        let production = self.get("/api/productions")?[0]["id"].as_str().unwrap_or("").to_owned();
        let looks = self.get(&format!("/api/productions/{production}/looks"))?;
        let look = looks.as_array().and_then(|l| l.iter().find(|l| l["name"] == name)).ok_or("no look")?;
        let version = self.get(&format!("/api/looks/{}/versions/1", look["id"].as_str().unwrap_or("")))?;
        Ok(version["document"].clone())
    }

    /// A POST on the server's API.
    pub fn post(&self, path: &str, body: &Value) -> Outcome<Value> {
        Ok(ureq::post(format!("{}{path}", self.url)).send_json(body)?.body_mut().read_json()?)
    }

    /// Makes a look of these steps and gives its id.
    pub fn make_look(&self, name: &str, steps: &Value) -> Outcome<String> {
        self.post_look(name, &json!({ "steps": steps }))
    }

    /// Makes a look of a whole path and gives its id.
    pub fn post_look(&self, name: &str, path: &Value) -> Outcome<String> {
        let production = self.get("/api/productions")?[0]["id"].as_str().unwrap_or("").to_owned();
        let document = json!({ "version": 1, "name": name, "path": path });
        let made = self.post(
            &format!("/api/productions/{production}/looks"),
            &json!({ "name": name, "document": document }),
        )?;
        Ok(made["id"].as_str().unwrap_or("").to_owned())
    }

    /// Closes the browser.
    pub async fn close(mut self) -> Outcome {
        self.driver.quit().await?;
        self.chromedriver.kill();
        Ok(())
    }
}

/// A place of the picture: mean R, G and B, 0..255.
#[derive(Clone, Copy, Debug)]
pub struct Patch(pub [f64; 3]);

impl Patch {
    /// Luma of BT.709, 0..255.
    pub fn luma(&self) -> f64 {
        0.2126 * self.0[0] + 0.7152 * self.0[1] + 0.0722 * self.0[2]
    }

    /// Hue on the vectorscope in degrees, and saturation as a radius in code values (BT.709-6, 3.2-3.3).
    pub fn hue(&self) -> (f64, f64) {
        let y = self.luma();
        let (cb, cr) = ((self.0[2] - y) / 1.8556, (self.0[0] - y) / 1.5748);
        (cr.atan2(cb).to_degrees().rem_euclid(360.0), cb.hypot(cr))
    }

    /// Blue and red difference (BT.709), in code values.
    pub fn difference(&self) -> [f64; 2] {
        let y = self.luma();
        [(self.0[2] - y) / 1.8556, (self.0[0] - y) / 1.5748]
    }
}

/// What the picture's canvas shows.
#[derive(Clone, Debug, PartialEq)]
pub struct Shown {
    /// Mean R, G and B, 0..255.
    pub mean: [f64; 3],
    /// Hash of all pixels.
    pub hash: String,
}

impl Shown {
    /// Mean blue and red difference (BT.709), in code values.
    pub fn difference(&self) -> [f64; 2] {
        let [r, g, b] = self.mean;
        let y = 0.2126 * r + 0.7152 * g + 0.0722 * b;
        [(b - y) / 1.8556, (r - y) / 1.5748]
    }
}

const PICTURE: &str = r"
const c = document.querySelector('canvas[data-picture]');
const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data;
let sum = [0, 0, 0], hash = 0;
for (let i = 0; i < d.length; i += 4) for (let k = 0; k < 3; k++) {
  sum[k] += d[i + k];
  hash = (Math.imul(hash, 31) + d[i + k]) | 0;
}
return sum.map((s) => s / (d.length / 4)).concat([hash]);
";
