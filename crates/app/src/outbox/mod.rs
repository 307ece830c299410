//! Sends the messages that wait in the outbox: mail through a mail server, and webhooks.
//!
//! Without a mail server, mail is kept in the outbox, where people can read it. Every message is tried until it is
//! taken, with growing pauses, and given up in the end; it may arrive twice where a server dies while it sends.

mod mail;
mod webhook;

use std::time::Duration;

use barometer_plan::Recipient;
use barometer_store::{EditionFile, Message, MessageState, Store};

pub use mail::{MailServer, MailServerError};
use webhook::Webhooks;

/// How often the outbox is looked at.
const LOOK_EVERY: Duration = Duration::from_secs(2);

/// Ways out of the outbox.
pub struct Delivery {
    mail: Option<MailServer>,
    webhooks: Webhooks,
    /// Where people reach this server: what links in messages begin with.
    public_address: Option<String>,
}

impl Delivery {
    /// Through a mail server, if there is one; links begin with the address at which people reach this server.
    pub fn of(mail: Option<MailServer>, public_address: Option<String>) -> Self {
        Self { mail, webhooks: Webhooks::new(), public_address }
    }

    /// A message whose links are whole.
    fn with_whole_links(&self, mut message: Message) -> Message {
        let link = message.event.get("link").and_then(|link| link.as_str()).map(str::to_owned);
        if let (Some(link), Some(address)) = (link, &self.public_address) {
            let whole = format!("{}{link}", address.trim_end_matches('/'));
            message.body = message.body.replace(&link, &whole);
            message.event["link"] = whole.into();
        }
        message
    }

    /// Sends a message with its files, or says why not.
    async fn send(
        &self,
        message: &Message,
        files: Vec<EditionFile>,
    ) -> Result<MessageState, String> {
        match (&message.recipient, &self.mail) {
            (Some(Recipient::Mail(to)), Some(server)) => {
                server.send(to, message, files).await?;
                Ok(MessageState::Sent)
            }
            (Some(Recipient::Mail(_)), None) => Ok(MessageState::Kept),
            (Some(Recipient::Webhook(address)), _) => {
                self.webhooks.send(address, message).await?;
                Ok(MessageState::Sent)
            }
            (None, _) => Err("its recipient is no address".to_owned()),
        }
    }

    /// Sends what is due. Says how many messages that were.
    ///
    /// # Errors
    ///
    /// When the database fails: what was not noted is sent again.
    pub async fn send_due(&self, store: &Store) -> Result<usize, barometer_store::StoreError> {
        let mut taken = 0;
        while let Some(message) = store.take_message().await? {
            taken += 1;
            let files = match message.edition {
                Some(edition) => store.edition_files(edition).await?,
                None => Vec::new(),
            };
            let message = self.with_whole_links(message);
            match self.send(&message, files).await {
                Ok(state) => store.end_message(message.id, state).await?,
                Err(why) => {
                    tracing::warn!(message = %message.id, why, "a message is not sent yet");
                    store.postpone_message(message.id, &why).await?;
                }
            }
        }
        Ok(taken)
    }
}

/// Sends what comes into the outbox, until told to stop.
pub async fn run(
    store: Store,
    delivery: Delivery,
    mut stopped: tokio::sync::watch::Receiver<bool>,
) {
    loop {
        tokio::select! {
            _ = stopped.wait_for(|stopped| *stopped) => return,
            () = tokio::time::sleep(LOOK_EVERY) => {}
        }
        if let Err(error) = delivery.send_due(&store).await {
            tracing::warn!(%error, "messages wait");
        }
    }
}

#[cfg(test)]
pub(crate) mod tests {
    use barometer_store::MessageState;
    use serde_json::json;

    use super::*;

    /// A message that waits to be sent.
    pub(crate) fn message(event: serde_json::Value) -> Message {
        Message {
            id: uuid::Uuid::nil(),
            recipient: None,
            subject: "Week review, 16 – 22 Nov 2026".to_owned(),
            body: "The whole report:\n/reports/shared/abc\n".to_owned(),
            event,
            created_at: jiff::Timestamp::UNIX_EPOCH,
            attempts: 1,
            state: MessageState::Waiting,
            failure: None,
            key: String::new(),
            edition: None,
        }
    }

    #[tokio::test]
    async fn a_link_begins_with_the_address_at_which_people_reach_the_server() {
        let linked = || message(json!({ "link": "/reports/shared/abc" }));
        let known = Delivery::of(None, Some("https://barometer.example.org/".to_owned()));
        let sent = known.with_whole_links(linked());
        let whole = "https://barometer.example.org/reports/shared/abc";
        assert_eq!(sent.body, format!("The whole report:\n{whole}\n"));
        assert_eq!(sent.event["link"], whole);
        // Nobody has said where people reach it: the path stays a path.
        assert_eq!(Delivery::of(None, None).with_whole_links(linked()), linked());
        let plain = message(json!({ "value": 7 }));
        assert_eq!(known.with_whole_links(plain.clone()), plain);
    }
}
