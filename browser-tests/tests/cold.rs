//! Large pictures that nobody has looked at yet, asked for by many pages at once, beside a hand that drags.

use lantern_browser_tests::{Outcome, Set};
use serde_json::{Value, json};
use std::process::Command;

/// Drags as a page does over a socket of its own, the next value when the last one's picture is there: first alone, and
/// again while eight more pages ask for a row. Gives the pictures a second of both, and how many small pictures came to
/// each page.
const PAGES: &str = r#"
const [shot, row, done] = arguments;
const open = () => new Promise((there) => {
  const socket = new WebSocket(`ws://${location.host}/api/preview`);
  socket.binaryType = 'arraybuffer';
  socket.onopen = () => there(socket);
});
const answer = (socket) => new Promise((came) => { socket.onmessage = came; });
const step = (exposure) => ({ id: 'b', name: 'b', zone: 'scene', on: true, strength: 1, kind: 'balance', values: { exposure } });
const ask = (seq) => JSON.stringify({
  ask: 'picture', seq, shot, path: { steps: [step((seq % 40) / 40)] }, quality: 'drag', width: 960, display: 'srgb',
  counts: { wave: true, vector: 1 },
});
(async () => {
  const hand = await open();
  let seq = 0;
  const drag = async (until) => {
    const begun = performance.now();
    let pictures = 0;
    while (!until(pictures)) {
      hand.send(ask(++seq));
      const message = await answer(hand);
      if (typeof message.data === 'string') return done(message.data);
      pictures += 1;
    }
    return 1000 * pictures / (performance.now() - begun);
  };
  await drag((n) => n >= 40);
  const alone = await drag((n) => n >= 120);
  const pages = await Promise.all([...Array(8)].map(open));
  const seen = pages.map(() => new Map());
  pages.forEach((page, i) => {
    page.onmessage = (m) => {
      if (typeof m.data === 'string') return done(m.data);
      const head = new DataView(m.data);
      seen[i].set(head.getUint16(14, true), head.getUint16(8, true));
    };
    page.send(JSON.stringify({ ask: 'row', seq: 1, shots: row, path: { steps: [] }, width: 160, display: 'srgb' }));
  });
  const beside = await drag(() => seen.every((s) => s.size === row.length));
  done({ alone, beside, seq, widths: seen.map((s) => [...s.values()]) });
})();
"#;

#[tokio::test(flavor = "multi_thread")]
async fn a_cold_row_of_large_pictures_leaves_a_drag_half_of_its_rate_at_least() -> Outcome {
    let set = Set::new().await?;
    let name = set.data.path().join("large%d.png");
    let source = "testsrc2=s=4096x2160:r=8:d=1";
    let made = Command::new("ffmpeg")
        .args(["-v", "error", "-f", "lavfi", "-i", source, "-pix_fmt", "rgb48be"])
        .arg(&name)
        .status()?;
    assert!(made.success(), "ffmpeg makes no pictures");
    let productions = set.get("/api/productions")?;
    let id = productions[0]["id"].as_str().ok_or("no production")?;
    let production = set.get(&format!("/api/productions/{id}"))?;
    let scene = &production["scenes"][0];
    let mut row = Vec::new();
    for i in 1..=8 {
        let bytes = std::fs::read(set.data.path().join(format!("large{i}.png")))?;
        let key = format!("{i:064x}");
        let mut sent =
            ureq::put(format!("{}/api/incoming/{key}?from=0&name=large{i}.png", set.url)).send(&bytes)?;
        sent.body_mut().read_to_string()?;
        let body = json!({ "key": key, "name": format!("large{i}.png") });
        let path = format!("/api/scenes/{}/shots", scene["id"].as_str().unwrap_or_default());
        let shot = set.post(&path, &body)?["id"].clone();
        let own = format!("{}/api/shots/{}", set.url, shot.as_str().unwrap_or_default());
        ureq::patch(own).send_json(json!({ "encoding": "rec709" }))?;
        row.push(shot);
    }
    set.driver.goto(format!("{}/api/productions", set.url)).await?;
    set.driver.set_script_timeout(std::time::Duration::from_secs(120)).await?;
    let found = set.driver.execute_async(PAGES, vec![scene["shots"][0]["id"].clone(), json!(row)]).await?;
    let found = found.json();
    let rate = |name: &str| found[name].as_f64().ok_or(format!("{found}"));
    let (alone, beside) = (rate("alone")?, rate("beside")?);
    println!("{alone:.1} pictures/s alone, {beside:.1} beside eight pages, {} in all", found["seq"]);
    let all = found["widths"].as_array().ok_or("no rows")?;
    assert!(all.len() == 8 && all.iter().all(|w| *w == Value::from(vec![160; 8])), "{all:?}");
    assert!(beside > alone / 2.0, "{alone:.1} pictures/s fall to {beside:.1}");
    set.close().await
}
