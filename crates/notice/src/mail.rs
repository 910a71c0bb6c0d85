//! By mail: SMTP, plain, with STARTTLS, or with TLS from the beginning.

use crate::{NotSent, Notice};
#[cfg(feature = "mail")]
use crate::{PATIENCE, read};
#[cfg(feature = "mail")]
use lettre::{
    Message, SmtpTransport, Transport,
    message::{Mailbox, header::ContentType},
    transport::smtp::authentication::Credentials,
    transport::smtp::client::{Certificate, Tls, TlsParameters},
};
use serde::Deserialize;
use std::path::PathBuf;

/// A mail server, and who writes to whom.
#[derive(Clone, Debug, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Mail {
    /// The server's name.
    pub server: String,
    /// Its port; the usual one of `security` if not given.
    pub port: Option<u16>,
    /// How the way to it is secured.
    #[serde(default)]
    pub security: MailSecurity,
    /// Who logs in there, if somebody has to.
    pub login: Option<String>,
    /// A file with the password.
    pub password_file: Option<PathBuf>,
    /// A certificate (PEM) that is trusted beside those of the world.
    pub trust: Option<PathBuf>,
    /// Who writes.
    pub from: String,
    /// To whom.
    pub to: Vec<String>,
}

/// How the way to a mail server is secured.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum MailSecurity {
    /// TLS after STARTTLS; without it nothing is sent.
    #[default]
    Starttls,
    /// TLS from the beginning.
    Tls,
    /// Not at all.
    Plain,
}

#[cfg(not(feature = "mail"))]
impl Mail {
    /// Sends nothing: this program was built without mail.
    ///
    /// # Errors
    /// Always.
    pub fn send(&self, _: &Notice) -> Result<(), NotSent> {
        Err(NotSent::Settings("this Jurex was built without mail".into()))
    }
}

#[cfg(feature = "mail")]
impl Mail {
    /// Sends a notice.
    ///
    /// # Errors
    /// Why it did not go out.
    pub fn send(&self, notice: &Notice) -> Result<(), NotSent> {
        let wrong = |what: &str, text: &str| NotSent::Settings(format!("`{text}` is no {what}"));
        let address = |text: &str| text.parse::<Mailbox>().map_err(|_| wrong("mail address", text));
        let mut message = Message::builder().from(address(&self.from)?).subject(one_line(&notice.subject));
        if self.to.is_empty() {
            return Err(NotSent::Settings("the settings name nobody to write to".into()));
        }
        for to in &self.to {
            message = message.to(address(to)?);
        }
        let text = format!("{}\n\n{}\n", notice.text, facts(&notice.facts));
        let message = message.header(ContentType::TEXT_PLAIN).body(text).map_err(|e| NotSent::Settings(e.to_string()))?;
        let failed = |e: lettre::transport::smtp::Error| NotSent::Server { server: self.server.clone(), why: e.to_string() };
        let (tls, usual) = match self.security {
            MailSecurity::Plain => (Tls::None, 25),
            MailSecurity::Starttls => (Tls::Required(self.tls()?), 587),
            MailSecurity::Tls => (Tls::Wrapper(self.tls()?), 465),
        };
        let mut transport =
            SmtpTransport::builder_dangerous(&self.server).port(self.port.unwrap_or(usual)).tls(tls).timeout(Some(PATIENCE));
        if let Some(login) = &self.login {
            let file = self.password_file.as_deref().ok_or_else(|| NotSent::Settings("a login needs a password_file".into()))?;
            transport = transport.credentials(Credentials::new(login.clone(), read(file)?));
        }
        transport.build().send(&message).map(drop).map_err(failed)
    }

    fn tls(&self) -> Result<TlsParameters, NotSent> {
        let wrong = |e: lettre::transport::smtp::Error| NotSent::Settings(e.to_string());
        let mut parameters = TlsParameters::builder(self.server.clone());
        if let Some(file) = &self.trust {
            let trusted = Certificate::from_pem(read(file)?.as_bytes())
                .map_err(|_| NotSent::Settings(format!("{} is no certificate", file.display())))?;
            parameters = parameters.add_root_certificate(trusted);
        }
        parameters.build_rustls().map_err(wrong)
    }
}

/// What would end a header early is a blank in it.
#[cfg(feature = "mail")]
fn one_line(text: &str) -> String {
    text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect()
}

/// Facts, one a line.
#[cfg(feature = "mail")]
fn facts(facts: &serde_json::Value) -> String {
    let of = |(name, value): (&String, &serde_json::Value)| {
        let value = value.as_str().map_or_else(|| value.to_string(), str::to_string);
        format!("{name}: {}", one_line(&value))
    };
    facts.as_object().map(|all| all.iter().map(of).collect::<Vec<_>>().join("\n")).unwrap_or_default()
}
