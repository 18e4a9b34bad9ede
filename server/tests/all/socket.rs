//! The preview socket as a page meets it: over the network, in the order in which things come back.

#![allow(clippy::unwrap_used)]

use crate::common;

use actix_web::{App, HttpServer, web};
use futures_util::{SinkExt, StreamExt};
use lantern_core::colour::CameraProfile;
use lantern_core::look::Look;
use lantern_server::preview::Studio;
use lantern_server::seed::{Seed, SeedScene, seed};
use lantern_server::{Data, api, jobs};
use serde_json::{Value, json};
use tokio_tungstenite::tungstenite::Message;

/// A server over a production of one grey shot: its address, and that shot's id.
async fn serve(folder: &std::path::Path) -> (String, String) {
    let data = Data::open(folder).unwrap();
    let camera: CameraProfile =
        serde_json::from_str(include_str!("../../../demo/data/harrier.camera.json")).unwrap();
    let picture = common::grey();
    let scenes = [SeedScene { name: "one", finished: false, shots: vec![common::still("grey", &picture)] }];
    seed(&data, &Seed { name: "Test", camera: &camera, scenes: &scenes, looks: &[Look::new("First")] })
        .unwrap();
    let c = &mut *data.store.connect().unwrap();
    let production = lantern_server::store::productions::Production::all(c).unwrap().remove(0);
    let shot = production.scenes(c).unwrap()[0].1[0].id.clone();
    let studio = web::Data::new(Studio::new(data.store.clone(), data.media.clone()));
    let app = move || {
        App::new()
            .app_data(studio.clone())
            .app_data(web::Data::new(jobs::Jobs::default()))
            .app_data(web::Data::new(data.store.clone()))
            .configure(api::routes)
    };
    let server = HttpServer::new(app).workers(1).bind(("127.0.0.1", 0)).unwrap();
    let address = server.addrs()[0].to_string();
    actix_web::rt::spawn(server.run());
    (address, shot.to_string())
}

fn picture(shot: &str, seq: u32) -> Value {
    json!({ "ask": "picture", "seq": seq, "shot": shot, "path": { "steps": [] }, "quality": "rest", "width": 64,
        "display": "rec709" })
}

type Socket = tokio_tungstenite::WebSocketStream<tokio_tungstenite::MaybeTlsStream<tokio::net::TcpStream>>;

/// What comes next; pings, which the library answers, are not counted.
async fn data(socket: &mut Socket) -> Message {
    loop {
        let next = socket.next().await.unwrap().unwrap();
        if !next.is_ping() {
            return next;
        }
    }
}

#[actix_web::test]
async fn a_refusal_says_what_it_refuses_and_everything_else_comes() {
    let folder = tempfile::tempdir().unwrap();
    let (address, shot) = serve(folder.path()).await;
    let (mut socket, _) =
        tokio_tungstenite::connect_async(format!("ws://{address}/api/preview")).await.unwrap();
    let asks = [
        (
            json!({ "ask": "row", "seq": 3, "shots": ["nobody"], "path": { "steps": [] }, "width": 64,
            "display": "rec709" }),
            "row",
            3,
        ),
        (
            {
                let mut beside = picture("nobody", 4);
                beside["ask"] = json!("beside");
                beside
            },
            "beside",
            4,
        ),
        // What cannot be read as a whole still says which request it was.
        (json!({ "ask": "picture", "seq": 5, "shot": 7 }), "picture", 5),
        (json!({ "ask": "loupe", "seq": 6 }), "loupe", 6),
        (picture("nobody", 7), "picture", 7),
    ];
    for (ask, what, seq) in asks {
        socket.send(Message::text(ask.to_string())).await.unwrap();
        let said = data(&mut socket).await;
        let problem: Value = serde_json::from_str(said.to_text().unwrap()).unwrap();
        let problem = &problem["problem"];
        assert_eq!((&problem["ask"], &problem["seq"]), (&json!(what), &json!(seq)), "{problem}");
        assert!(problem["detail"].as_str().is_some_and(|d| !d.is_empty()));
    }
    socket.send(Message::text("not even JSON")).await.unwrap();
    let said = data(&mut socket).await;
    assert!(said.to_text().unwrap().contains("cannot be read"));
    socket.send(Message::text(picture(&shot, 8).to_string())).await.unwrap();
    let frame = data(&mut socket).await.into_data();
    assert_eq!((frame[0], u32::from_le_bytes(frame[4..8].try_into().unwrap())), (1, 8));
    assert_eq!(frame.len(), 16 + 64 * 36 * 4);
}

#[actix_web::test]
async fn of_many_requests_at_once_the_newest_comes_and_the_socket_stays() {
    let folder = tempfile::tempdir().unwrap();
    let (address, shot) = serve(folder.path()).await;
    let (mut socket, _) =
        tokio_tungstenite::connect_async(format!("ws://{address}/api/preview")).await.unwrap();
    for seq in 1..=200 {
        socket.send(Message::text(picture(&shot, seq).to_string())).await.unwrap();
    }
    let (mut last, mut came) = (0, 0);
    while last < 200 {
        let frame = data(&mut socket).await.into_data();
        let seq = u32::from_le_bytes(frame[4..8].try_into().unwrap());
        assert!(seq > last, "never an older one after a newer one");
        (last, came) = (seq, came + 1);
    }
    assert!(came <= 200);
}

#[actix_web::test]
async fn bytes_are_answered_and_what_is_too_long_closes_with_the_reason() {
    let folder = tempfile::tempdir().unwrap();
    let (address, _) = serve(folder.path()).await;
    let open = || tokio_tungstenite::connect_async(format!("ws://{address}/api/preview"));
    let (mut socket, _) = open().await.unwrap();
    socket.send(Message::binary(vec![1_u8, 2, 3])).await.unwrap();
    let said = data(&mut socket).await;
    assert!(said.to_text().unwrap().contains("sent as text"), "{said}");
    socket.send(Message::text("x".repeat((1 << 20) + 1))).await.unwrap();
    let Message::Close(Some(why)) = data(&mut socket).await else { panic!("it is not closed") };
    assert_eq!((u16::from(why.code), why.reason.as_str()), (1009, "a request is longer than 1 MB"));
}

#[actix_web::test]
async fn a_page_that_asks_faster_than_it_reads_gets_the_newest_and_not_all() {
    let folder = tempfile::tempdir().unwrap();
    let (address, shot) = serve(folder.path()).await;
    let (mut socket, _) =
        tokio_tungstenite::connect_async(format!("ws://{address}/api/preview")).await.unwrap();
    // Pictures of 64 x 36 are small: as many as come unread are counted when reading begins at last.
    let wide = |seq: u32| {
        let mut ask = picture(&shot, seq);
        ask["width"] = json!(64);
        ask
    };
    for seq in 1..=3000 {
        socket.send(Message::text(wide(seq).to_string())).await.unwrap();
    }
    // All that it asked for last is there in the end, and older ones gave way.
    let (mut bytes, mut came, mut last) = (0, 0, 0);
    while last < 3000 {
        let frame = data(&mut socket).await.into_data();
        last = u32::from_le_bytes(frame[4..8].try_into().unwrap());
        bytes += frame.len();
        came += 1;
    }
    assert!(came < 3000 && bytes < 16 << 20, "{came} pictures, {bytes} bytes");
}
