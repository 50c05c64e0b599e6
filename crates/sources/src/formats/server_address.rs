//! Addresses of database servers, as a plan has them: what may be shown of them.

use std::sync::Arc;

use interligo_model::plan::{Mistake, MistakeKind};

use crate::error::Error;

/// Whether it is the address of a server.
pub(super) fn is_address(name: &str) -> bool {
    let scheme = name.split_once("://").map_or("", |(scheme, _)| scheme);
    ["postgres", "postgresql"].iter().any(|known| scheme.eq_ignore_ascii_case(known))
}

/// An address without the user, the password and the settings: as messages show it.
pub(super) fn shown(address: &str) -> Result<Arc<str>, Error> {
    let (login, shown) = without_login(address);
    if login.contains(':') || address.contains("password=") {
        // No line of the plan is shown with it.
        return Err(Mistake::of_plan(
            MistakeKind::PasswordInPlan,
            "the address of a database contains a password",
        )
        .help("take it out of the plan; give it in PGPASSWORD or in the password file (~/.pgpass)")
        .into());
    }
    Ok(shown.into())
}

/// The login of an address, and the address without it and without settings.
pub(super) fn without_login(address: &str) -> (&str, String) {
    let (scheme, rest) = address.split_once("://").unwrap_or(("postgres", address));
    let rest = rest.split('?').next().unwrap_or(rest);
    let (login, place) = rest.rsplit_once('@').unwrap_or(("", rest));
    (login, format!("{scheme}://{place}"))
}
