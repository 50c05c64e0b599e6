//! The address of a server and the credentials for it: what the plan says, then the usual environment
//! variables (`PGHOST`, `PGPORT`, `PGUSER`, `PGDATABASE`, `PGPASSWORD`, `PGPASSFILE`, `PGSSLMODE`,
//! `PGSSLROOTCERT`, `PGCONNECT_TIMEOUT`, `PGOPTIONS`), then the password file. No password is ever part of a
//! plan or of a message.

use std::path::{Path, PathBuf};
use std::time::Duration;

use postgres::Config;
use postgres::config::{Host, SslMode};

/// How long a server may take to answer a connection.
const PATIENCE: Duration = Duration::from_secs(15);

/// Where servers of this machine have their sockets.
const SOCKETS: [&str; 2] = ["/var/run/postgresql", "/tmp"];

/// How a connection is encrypted.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Encryption {
    /// Not at all.
    None,
    /// If the server offers it, whoever it says it is.
    Offered,
    /// Always, whoever it says it is.
    Always,
    /// Always, and its certificate is checked: against this file, or the system's; its name too or not.
    Checked { root: Option<PathBuf>, name: bool },
}

/// A server, a database and the credentials for it.
#[derive(Clone, Debug)]
pub(super) struct Login {
    pub(super) config: Config,
    pub(super) encryption: Encryption,
}

/// What the environment says.
pub(super) trait Environment {
    fn get(&self, name: &str) -> Option<String>;
}

/// The environment of the program.
pub(super) struct OwnEnvironment;

impl Environment for OwnEnvironment {
    fn get(&self, name: &str) -> Option<String> {
        std::env::var(name).ok().filter(|value| !value.is_empty())
    }
}

/// The address with a port, should it name a host and none.
fn with_port(address: &str, port: Option<String>) -> String {
    let (Some(port), Some((scheme, rest))) = (port, address.split_once("://")) else {
        return address.to_owned();
    };
    let end = rest.find(['/', '?']).unwrap_or(rest.len());
    let host = rest[..end].rsplit('@').next().unwrap_or_default();
    let has_port = host.rsplit(']').next().is_some_and(|behind| behind.contains(':'));
    match host.is_empty() || host.contains(',') || has_port {
        true => address.to_owned(),
        false => format!("{scheme}://{}:{port}{}", &rest[..end], &rest[end..]),
    }
}

/// What is wrong with an address or its settings.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub(super) enum AddressError {
    #[error("is no address of a database")]
    NoAddress,
    #[error("cannot be reached: PGPORT is no number")]
    Port,
    #[error("cannot be reached: there is no sslmode `{mode}`")]
    Mode { mode: String },
}

impl Login {
    /// Reads an address, and completes it from the environment.
    pub(super) fn new(address: &str, environment: &dyn Environment) -> Result<Login, AddressError> {
        let address = match address.split_once("://") {
            Some((scheme, place)) => format!("{}://{place}", scheme.to_ascii_lowercase()),
            None => address.to_owned(),
        };
        let (address, mode, root) = without_encryption(&address);
        let address = with_port(&address, environment.get("PGPORT"));
        let mut config: Config = address.parse().map_err(|_| AddressError::NoAddress)?;
        let get = |name: &str| environment.get(name);
        if config.get_hosts().is_empty() && config.get_hostaddrs().is_empty() {
            let socket = SOCKETS.iter().find(|folder| Path::new(folder).is_dir());
            config.host(
                &get("PGHOST").or(socket.map(|s| (*s).to_owned())).unwrap_or("localhost".into()),
            );
        }
        if config.get_ports().is_empty()
            && let Some(port) = get("PGPORT")
        {
            config.port(port.parse().map_err(|_| AddressError::Port)?);
        }
        if config.get_user().is_none() {
            let user = get("PGUSER").or_else(|| get("USER")).or_else(|| get("LOGNAME"));
            config.user(user.as_deref().unwrap_or("postgres"));
        }
        if config.get_dbname().is_none()
            && let Some(name) = get("PGDATABASE")
        {
            config.dbname(&name);
        }
        if config.get_options().is_none()
            && let Some(options) = get("PGOPTIONS")
        {
            config.options(&options);
        }
        if config.get_connect_timeout().is_none() {
            let seconds = get("PGCONNECT_TIMEOUT").and_then(|seconds| seconds.parse().ok());
            config.connect_timeout(seconds.map_or(PATIENCE, Duration::from_secs));
        }
        let name = environment.get("PGAPPNAME").unwrap_or_else(|| "interligo".to_owned());
        config.application_name(&name);
        if let Some(password) = get("PGPASSWORD").or_else(|| password_of_file(&config, environment))
        {
            config.password(password);
        }
        let mode = mode.or_else(|| get("PGSSLMODE")).unwrap_or_else(|| "prefer".to_owned());
        let root = root.or_else(|| get("PGSSLROOTCERT")).map(PathBuf::from);
        let own = || Some(home(environment)?.join(".postgresql/root.crt"));
        let root = root.or_else(|| own().filter(|root| root.is_file()));
        let checked = |name| Encryption::Checked { root: root.clone(), name };
        let only_sockets = config.get_hosts().iter().all(|host| matches!(host, Host::Unix(_)));
        let encryption = match mode.as_str() {
            // What does not leave the machine is not encrypted.
            _ if only_sockets => Encryption::None,
            "disable" => Encryption::None,
            "allow" | "prefer" => Encryption::Offered,
            // Whoever says which certificates to trust wants them checked, as the server's own programs do.
            "require" if root.is_some() => checked(false),
            "require" => Encryption::Always,
            "verify-ca" => checked(false),
            "verify-full" => checked(true),
            other => return Err(AddressError::Mode { mode: other.to_owned() }),
        };
        config.ssl_mode(match encryption {
            Encryption::None => SslMode::Disable,
            Encryption::Offered => SslMode::Prefer,
            _ => SslMode::Require,
        });
        Ok(Login { config, encryption })
    }

    /// The user.
    pub(super) fn user(&self) -> &str {
        self.config.get_user().unwrap_or_default()
    }
}

/// The address without what it says of encryption; that, and the file of certificates.
fn without_encryption(address: &str) -> (String, Option<String>, Option<String>) {
    let Some((place, settings)) = address.split_once('?') else {
        return (address.to_owned(), None, None);
    };
    let (mut mode, mut root, mut others) = (None, None, Vec::new());
    for setting in settings.split('&') {
        match setting.split_once('=') {
            Some(("sslmode", value)) => mode = Some(value.to_owned()),
            Some(("sslrootcert", value)) => root = Some(value.to_owned()),
            _ => others.push(setting),
        }
    }
    let others = if others.is_empty() { String::new() } else { format!("?{}", others.join("&")) };
    (format!("{place}{others}"), mode, root)
}

fn home(environment: &dyn Environment) -> Option<PathBuf> {
    environment.get("HOME").map(PathBuf::from)
}

/// The password for a login in the password file: lines of `host:port:database:user:password`, where `*`
/// fits everything and `\` goes before a colon that is meant.
fn password_of_file(config: &Config, environment: &dyn Environment) -> Option<String> {
    let file = environment.get("PGPASSFILE").map(PathBuf::from);
    let file = file.or_else(|| Some(home(environment)?.join(".pgpass")))?;
    let host = match config.get_hosts().first()? {
        Host::Tcp(host) => host.clone(),
        // Sockets go by the name of the machine itself.
        Host::Unix(_) => "localhost".to_owned(),
    };
    let port = config.get_ports().first().copied().unwrap_or(5432).to_string();
    let user = config.get_user()?.to_owned();
    let name = config.get_dbname().unwrap_or(&user).to_owned();
    let wanted = [host, port, name, user];
    let text = std::fs::read_to_string(file).ok()?;
    text.lines().filter(|line| !line.starts_with('#')).find_map(|line| {
        let mut fields = fields(line);
        let password = (fields.len() == 5).then(|| fields.pop())??;
        let fits = |(field, wanted): (&String, &String)| field == "*" || field == wanted;
        fields.iter().zip(&wanted).all(fits).then_some(password)
    })
}

fn fields(line: &str) -> Vec<String> {
    let mut fields = vec![String::new()];
    let mut characters = line.chars();
    while let Some(character) = characters.next() {
        match (character, fields.last_mut()) {
            (':', _) => fields.push(String::new()),
            ('\\', Some(field)) => field.extend(characters.next()),
            (_, Some(field)) => field.push(character),
            (_, None) => {}
        }
    }
    fields
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::formats::server_address::shown;
    use std::collections::HashMap;

    impl Environment for HashMap<&str, String> {
        fn get(&self, name: &str) -> Option<String> {
            HashMap::get(self, name).cloned()
        }
    }

    fn login(address: &str, environment: &[(&'static str, &str)]) -> Result<Login, AddressError> {
        let environment: HashMap<&str, String> =
            environment.iter().map(|(name, value)| (*name, (*value).to_owned())).collect();
        Login::new(address, &environment)
    }

    #[test]
    fn an_address_is_completed_from_the_environment() {
        let env = [
            ("PGHOST", "db.mielo.example"),
            ("PGPORT", "5433"),
            ("PGUSER", "ana"),
            ("PGDATABASE", "shop"),
            ("PGPASSWORD", "s3cret"),
        ];
        let own = login("postgres:///", &env).unwrap();
        assert_eq!(own.config.get_hosts(), [Host::Tcp("db.mielo.example".to_owned())]);
        assert_eq!((own.config.get_ports(), own.user()), ([5433].as_slice(), "ana"));
        assert_eq!(own.config.get_dbname(), Some("shop"));
        assert_eq!(own.config.get_password(), Some(b"s3cret".as_slice()));
        // What the plan says is nearer.
        let own = login("postgres://bo@other/books", &env).unwrap();
        assert_eq!(own.config.get_ports(), [5433]);
        let own = login("postgres://bo@other:9/books", &env).unwrap();
        assert_eq!((own.config.get_ports(), own.user()), ([9].as_slice(), "bo"));
        assert_eq!(own.config.get_dbname(), Some("books"));
    }

    #[test]
    fn encryption_is_as_the_address_or_the_environment_says() {
        let of =
            |address: &str, env: &[(&'static str, &str)]| login(address, env).unwrap().encryption;
        assert_eq!(of("postgres://h/d", &[]), Encryption::Offered);
        assert_eq!(
            of("postgres://h/d?sslmode=require", &[("PGSSLMODE", "disable")]),
            Encryption::Always
        );
        assert_eq!(of("postgres://h/d", &[("PGSSLMODE", "disable")]), Encryption::None);
        let checked = Encryption::Checked { root: Some("/c.pem".into()), name: true };
        assert_eq!(of("postgres://h/d?sslmode=verify-full&sslrootcert=/c.pem", &[]), checked);
        let given = Encryption::Checked { root: Some("/c.pem".into()), name: false };
        assert_eq!(of("postgres://h/d?sslmode=require", &[("PGSSLROOTCERT", "/c.pem")]), given);
        assert_eq!(of("postgres://h/d?sslmode=require&sslrootcert=/c.pem", &[]), given);
        assert_eq!(of("PostgreSQL://h/d?sslmode=disable", &[]), Encryption::None);
        assert_eq!(of("postgres:///d?host=/tmp&sslmode=require", &[]), Encryption::None);
        assert!(login("postgres://h/d?sslmode=perhaps", &[]).is_err());
    }

    #[test]
    fn the_password_file_is_read_by_place_and_user() {
        let file = tempfile::NamedTempFile::new().unwrap();
        std::fs::write(file.path(), "# ours\nh:5432:shop:ana:one\n*:*:*:bo:t\\:wo\n").unwrap();
        let path = file.path().to_str().unwrap();
        let password = |address: &str| {
            let login = login(address, &[("PGPASSFILE", path)]).unwrap();
            login.config.get_password().map(<[u8]>::to_vec)
        };
        assert_eq!(password("postgres://ana@h/shop"), Some(b"one".to_vec()));
        assert_eq!(password("postgres://bo@anywhere:7/x"), Some(b"t:wo".to_vec()));
        assert_eq!(password("postgres://ana@h/other"), None);
    }

    #[test]
    fn no_message_shows_a_secret() {
        assert_eq!(
            &*shown("postgres://ana@h:5/shop?sslmode=require").unwrap(),
            "postgres://h:5/shop"
        );
        for address in ["postgres://ana:s3cret@h/shop", "postgres://h/shop?password=s3cret"] {
            let error = shown(address).unwrap_err();
            assert!(!format!("{error:?}").contains("s3cret"), "{error:?}");
        }
    }
}
