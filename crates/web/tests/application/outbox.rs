//! Messages leave: mail to a mail server, webhooks with a signature, and what fails is said.

use std::sync::{Arc, Mutex};

use axum::Router;
use axum::extract::State;
use axum::http::{HeaderMap, StatusCode};
use axum::routing::post;
use barometer_app::outbox::{Delivery, MailServer};
use barometer_plan::{AlarmMeasure, AlarmRule, Severity};
use barometer_store::{MessageState, NewMessage, Role};
use hmac::{Hmac, KeyInit, Mac};
use serde_json::json;
use sha2::Sha256;
use sqlx::PgPool;
use tokio::io::{AsyncBufReadExt, AsyncWriteExt, BufReader};
use tokio::net::TcpListener;

use crate::visitor::{Centre, at};

/// Puts a message into the outbox, as an alarm does.
async fn write(centre: &Centre, to: &str) {
    let rule = AlarmRule::new(AlarmMeasure::Waiting, Some("Bookings"), 4.0, Severity::Urgent);
    centre.store.add_alarm(centre.centre, &rule, None).await.unwrap();
    let alarm = centre.store.alarms(centre.centre).await.unwrap().pop().unwrap().id;
    let message = NewMessage {
        recipient: to.parse().unwrap(),
        subject: "Bookings: contacts waiting over 4".to_owned(),
        body: "It was 7 at 10:00.\n".to_owned(),
        event: json!({ "value": 7 }),
    };
    let rang = (at("2026-11-23T10:00"), 7.0);
    centre.store.ring((centre.centre, alarm), rang, &[message]).await.unwrap();
}

/// What a webhook has heard: signature and body of each request. The first is answered 500.
type Heard = Arc<Mutex<Vec<(String, String)>>>;

async fn hook(State(heard): State<Heard>, headers: HeaderMap, body: String) -> StatusCode {
    let mut heard = heard.lock().unwrap();
    let signature = headers["barometer-signature"].to_str().unwrap().to_owned();
    heard.push((signature, body));
    if heard.len() == 1 { StatusCode::INTERNAL_SERVER_ERROR } else { StatusCode::NO_CONTENT }
}

#[sqlx::test(migrations = false)]
async fn a_webhook_is_signed_and_tried_again_until_it_is_taken(pool: PgPool) {
    let centre = Centre::new(pool.clone()).await;
    let heard = Heard::default();
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = format!("http://{}/alarm", listener.local_addr().unwrap());
    let router = Router::new().route("/alarm", post(hook)).with_state(heard.clone());
    tokio::spawn(async move { axum::serve(listener, router).await.unwrap() });
    write(&centre, &address).await;
    let delivery = Delivery::of(None, None);
    assert_eq!(delivery.send_due(&centre.store).await.unwrap(), 1);
    let planner = centre.visitor(Role::Planner).await;
    planner.get("/watch/outbox").await.says("attempt 1 of 8 failed: it answered 500");
    assert_eq!(delivery.send_due(&centre.store).await.unwrap(), 0, "not before its pause is over");
    sqlx::query("UPDATE outbox SET due_at = now()").execute(&pool).await.unwrap();
    assert_eq!(delivery.send_due(&centre.store).await.unwrap(), 1);
    let page = planner.get("/watch/outbox").await;
    page.says("Nothing waits.").says(">sent<").says("webhook");
    let heard = heard.lock().unwrap().clone();
    assert_eq!(heard.len(), 2);
    assert_eq!(heard[0].1, heard[1].1, "the same message, with the same id");
    let key = centre.store.webhook_key(centre.centre).await.unwrap();
    let mut mac = Hmac::<Sha256>::new_from_slice(key.as_bytes()).unwrap();
    mac.update(heard[1].1.as_bytes());
    let digits = heard[1].0.strip_prefix("sha256=").unwrap();
    let signed: Vec<u8> = (0..digits.len() / 2)
        .map(|nth| u8::from_str_radix(&digits[2 * nth..2 * nth + 2], 16).unwrap())
        .collect();
    mac.verify_slice(&signed).expect("the signature is that of the body");
}

/// A mail server that takes one mail and gives it back.
async fn mail_server(listener: TcpListener) -> String {
    let (stream, _) = listener.accept().await.unwrap();
    let (read, mut write) = stream.into_split();
    let mut lines = BufReader::new(read).lines();
    write.write_all(b"220 test\r\n").await.unwrap();
    let mut mail = String::new();
    let mut is_data = false;
    while let Some(line) = lines.next_line().await.unwrap() {
        let answer = match line.as_str() {
            "." if is_data => {
                is_data = false;
                "250 taken\r\n"
            }
            text if is_data => {
                mail.push_str(text);
                mail.push('\n');
                continue;
            }
            "DATA" => {
                is_data = true;
                "354 go on\r\n"
            }
            "QUIT" => return mail,
            text => {
                mail.push_str(text);
                mail.push('\n');
                "250 yes\r\n"
            }
        };
        write.write_all(answer.as_bytes()).await.unwrap();
        if answer.starts_with("250 taken") {
            return mail;
        }
    }
    mail
}

#[sqlx::test(migrations = false)]
async fn mail_goes_to_the_mail_server_and_stays_where_there_is_none(pool: PgPool) {
    let centre = Centre::new(pool).await;
    write(&centre, "duty@larkhaven.example").await;
    Delivery::of(None, None).send_due(&centre.store).await.unwrap();
    let planner = centre.visitor(Role::Planner).await;
    let page = planner.get("/watch/outbox").await;
    page.says("kept here: no mail server is set").says("It was 7 at 10:00.");
    let kept = centre.store.messages(centre.centre, 1).await.unwrap().remove(0);
    assert_eq!(kept.state, MessageState::Kept);
    // A mail server is set, and the message is sent again by hand.
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = format!("smtp://{}", listener.local_addr().unwrap());
    let served = tokio::spawn(mail_server(listener));
    let again = planner.post(&format!("/watch/outbox/{}", kept.id), "").await;
    assert_eq!(again.status, StatusCode::SEE_OTHER, "{}", again.text);
    let server = MailServer::of(&address, "Barometer <barometer@larkhaven.example>").unwrap();
    Delivery::of(Some(server), None).send_due(&centre.store).await.unwrap();
    let sent = centre.store.messages(centre.centre, 1).await.unwrap().remove(0);
    assert_eq!((sent.state, sent.failure), (MessageState::Sent, None));
    let mail = served.await.unwrap();
    for wanted in [
        "MAIL FROM:<barometer@larkhaven.example>",
        "RCPT TO:<duty@larkhaven.example>",
        "Subject: Bookings: contacts waiting over 4",
        "It was 7 at 10:00.",
    ] {
        assert!(mail.contains(wanted), "{wanted}: {mail}");
    }
    assert!(MailServer::of("ftp://mail.example.org", "a@b.example").is_err());
    assert!(MailServer::of(&address, "nobody").is_err());
}
