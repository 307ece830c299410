//! People who sign in and ask for pages, as a browser does.

use std::time::Duration;

use anyhow::{Context, Result, bail};
use barometer_store::Role;
use form_urlencoded::Serializer;
use reqwest::header::{COOKIE, SET_COOKIE};
use reqwest::redirect::Policy;
use reqwest::{Client, RequestBuilder, Response};

/// After which a page is not waited for any more.
const PATIENCE: Duration = Duration::from_secs(60);

/// Who signs in to a database that was filled.
pub const PEOPLE: [(&str, Role); 2] =
    [("planner@scale.example", Role::Planner), ("admin@scale.example", Role::Administrator)];
/// Their password.
pub const PASSWORD: &str = "measure-the-low-tide";

/// A server, and who is signed in there.
#[derive(Clone, Debug, clap::Args)]
pub struct Server {
    /// The server, as http://127.0.0.1:4180.
    #[arg(long, default_value = "http://127.0.0.1:4180")]
    address: String,
    /// Who signs in.
    #[arg(long, default_value = PEOPLE[0].0)]
    email: String,
    /// Their password.
    #[arg(long, default_value = PASSWORD)]
    password: String,
}

/// Somebody who is signed in.
#[derive(Clone, Debug)]
pub struct Person {
    client: Client,
    address: String,
    cookie: String,
}

impl Server {
    /// Signs somebody in.
    pub async fn sign_in(&self) -> Result<Person> {
        let client =
            Client::builder().redirect(Policy::none()).pool_max_idle_per_host(2).build()?;
        let form = Serializer::new(String::new())
            .append_pair("email", &self.email)
            .append_pair("password", &self.password)
            .finish();
        let answer = client
            .post(format!("{}/sign-in", self.address))
            .header("sec-fetch-site", "same-origin")
            .header("content-type", "application/x-www-form-urlencoded")
            .body(form)
            .send()
            .await
            .context("the server does not answer")?;
        let cookie = answer.headers().get(SET_COOKIE).and_then(|cookie| cookie.to_str().ok());
        let Some(cookie) = cookie.and_then(|cookie| cookie.split(';').next()) else {
            bail!("signing in was refused: {}", answer.status());
        };
        Ok(Person { client, address: self.address.clone(), cookie: cookie.to_owned() })
    }
}

impl Person {
    /// Asks for a page.
    pub async fn get(&self, path: &str) -> reqwest::Result<Response> {
        self.asking(path).timeout(PATIENCE).send().await
    }

    /// Asks for what goes on for as long as it is listened to.
    pub async fn listen(&self, path: &str) -> reqwest::Result<Response> {
        self.asking(path).send().await
    }

    fn asking(&self, path: &str) -> RequestBuilder {
        self.client.get(format!("{}{path}", self.address)).header(COOKIE, &self.cookie)
    }

    /// A new token for scripts; only administrators get one.
    pub async fn token(&self, name: &str) -> Result<String> {
        let page = self.post("/people/tokens", &[("name", name)]).await?.text().await?;
        between(&page, "<code>", "</code>").context("no token was given: is this an administrator?")
    }

    /// Sends a form with a file, as a browser does.
    pub async fn upload(
        &self,
        path: &str,
        fields: &[(&str, String)],
        file_name: &str,
        file: &[u8],
    ) -> reqwest::Result<Response> {
        const BOUNDARY: &str = "----of-the-parts-of-this-form";
        let mut body = Vec::with_capacity(file.len() + 512);
        for (name, value) in fields {
            body.extend_from_slice(
                format!("--{BOUNDARY}\r\nContent-Disposition: form-data; name=\"{name}\"\r\n\r\n{value}\r\n")
                    .as_bytes(),
            );
        }
        body.extend_from_slice(
            format!(
                "--{BOUNDARY}\r\nContent-Disposition: form-data; name=\"file\"; filename=\"{file_name}\"\r\n\r\n"
            )
            .as_bytes(),
        );
        body.extend_from_slice(file);
        body.extend_from_slice(format!("\r\n--{BOUNDARY}--\r\n").as_bytes());
        self.client
            .post(format!("{}{path}", self.address))
            .header(COOKIE, &self.cookie)
            .header("sec-fetch-site", "same-origin")
            .header("content-type", format!("multipart/form-data; boundary={BOUNDARY}"))
            .timeout(PATIENCE)
            .body(body)
            .send()
            .await
    }

    /// Sends a file as a script does.
    pub async fn put(
        &self,
        path: &str,
        token: &str,
        kind: &str,
        file: Vec<u8>,
    ) -> reqwest::Result<Response> {
        self.client
            .put(format!("{}{path}", self.address))
            .bearer_auth(token)
            .header("content-type", kind)
            .timeout(PATIENCE)
            .body(file)
            .send()
            .await
    }

    /// A page as text.
    pub async fn page(&self, path: &str) -> Result<String> {
        Ok(self.get(path).await?.error_for_status()?.text().await?)
    }

    /// Sends a form.
    pub async fn post(&self, path: &str, form: &[(&str, &str)]) -> reqwest::Result<Response> {
        let body = Serializer::new(String::new()).extend_pairs(form).finish();
        self.client
            .post(format!("{}{path}", self.address))
            .header(COOKIE, &self.cookie)
            .header("sec-fetch-site", "same-origin")
            .header("content-type", "application/x-www-form-urlencoded")
            .timeout(PATIENCE)
            .body(body)
            .send()
            .await
    }
}

/// The first value that stands in a page between two texts.
pub fn between(page: &str, before: &str, after: &str) -> Option<String> {
    page.match_indices(before).find_map(|(at, _)| {
        let rest = &page[at + before.len()..];
        let value = &rest[..rest.find(after)?];
        (!value.contains(['"', '<'])).then(|| value.to_owned())
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_value_is_found_between_two_texts_and_not_across_attributes() {
        let page = "<a href=\"/x\">no</a><form action=\"/x/7/records\">";
        assert_eq!(between(page, "\"/x/", "/records").as_deref(), Some("7"));
        assert_eq!(between("<a href=\"/x\"> /records", "=\"", "/records"), None);
        assert_eq!(between(page, "nothing", "\""), None);
    }
}
