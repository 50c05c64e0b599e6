//! What the system says when it refuses to read or write, in plain words.

use std::io::{Error, ErrorKind};

/// Why the system refuses, as the end of a sentence, without the number of its error.
pub fn refusal(error: &Error) -> String {
    let plain = match error.kind() {
        ErrorKind::NotFound => "there is no such file or folder",
        ErrorKind::AlreadyExists => "a file of that name is there already",
        ErrorKind::PermissionDenied => "its rights do not allow it",
        ErrorKind::StorageFull => "the disk is full",
        ErrorKind::QuotaExceeded => "the space allowed to this user is used up",
        ErrorKind::ReadOnlyFilesystem => "the disk is read-only",
        ErrorKind::IsADirectory => "it is a folder",
        ErrorKind::NotADirectory => "a part of its path is a file, not a folder",
        ErrorKind::InvalidFilename => "its name is too long or has a character that is not allowed",
        _ => return without_number(&error.to_string()),
    };
    plain.to_owned()
}

fn without_number(text: &str) -> String {
    match text.rfind(" (os error ") {
        Some(at) => text[..at].to_lowercase(),
        None => text.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn errors_of_the_system_are_plain_words() {
        // Of Linux: a folder read as a file, a file that does not exist, too many open files.
        for (number, words) in [(21, "it is a folder"), (2, "there is no such file or folder")] {
            assert_eq!(refusal(&Error::from_raw_os_error(number)), words);
        }
        assert_eq!(refusal(&Error::from_raw_os_error(24)), "too many open files");
        assert_eq!(refusal(&Error::other("the block is damaged")), "the block is damaged");
    }
}
