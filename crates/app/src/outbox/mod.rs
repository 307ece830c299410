//! Sends the messages that wait in the outbox: mail through a mail server, and webhooks.
//!
//! Without a mail server, mail is kept in the outbox, where people can read it. Every message is tried until it is
//! taken, with growing pauses, and given up in the end; it may arrive twice where a server dies while it sends.

mod mail;
mod webhook;

use std::time::Duration;

use barometer_plan::Recipient;
use barometer_store::{Message, MessageState, Store};

pub use mail::{MailServer, MailServerError};
use webhook::Webhooks;

/// How often the outbox is looked at.
const LOOK_EVERY: Duration = Duration::from_secs(2);

/// Ways out of the outbox.
pub struct Delivery {
    mail: Option<MailServer>,
    webhooks: Webhooks,
}

impl Delivery {
    /// Through a mail server, if there is one.
    pub fn of(mail: Option<MailServer>) -> Self {
        Self { mail, webhooks: Webhooks::new() }
    }

    /// Sends a message, or says why not.
    async fn send(&self, message: &Message) -> Result<MessageState, String> {
        match (&message.recipient, &self.mail) {
            (Some(Recipient::Mail(to)), Some(server)) => {
                server.send(to, message).await?;
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
            match self.send(&message).await {
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
