//! The bytes of a text file as UTF-8: unpacked if it is compressed, decoded if it is written in another
//! encoding. A plain file in UTF-8 is read as it is.

use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom};
use std::path::Path;
use std::sync::Arc;

use encoding_rs::Encoding;
use encoding_rs_io::DecodeReaderBytesBuilder;

use crate::error::{Error, InputKind};

/// How a text file is written, apart from its numbers and days.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Dialect {
    /// The character between two fields.
    pub separator: u8,
    /// The encoding; `None` for UTF-8, or UTF-16 where a mark says so.
    pub encoding: Option<&'static Encoding>,
    /// Whether rows end in a carriage return alone.
    pub returns: bool,
}

impl Default for Dialect {
    fn default() -> Dialect {
        Dialect { separator: b',', encoding: None, returns: false }
    }
}

/// An open file, giving UTF-8.
pub enum Input {
    /// As it is, or a stretch of it.
    Plain(io::Take<File>),
    /// Unpacked or decoded.
    Changed(Box<dyn Read + Send>),
}

impl Input {
    /// Opens a file; the answer comes with the bytes that were already read.
    pub fn open(
        path: &Path,
        shown: &Arc<str>,
        dialect: Dialect,
    ) -> Result<(Input, Vec<u8>), Error> {
        let encoding = dialect.encoding;
        let unreadable = |error| Error::cannot_read(shown, path, error);
        let mut file = File::open(path).map_err(unreadable)?;
        if file.metadata().map_err(unreadable)?.is_dir() {
            return Err(Error::input(InputKind::Folder, shown, "is a folder, not a file")
                .help("name the file in it, or a pattern such as `sales/*.csv`"));
        }
        let mut head = Vec::new();
        Read::by_ref(&mut file).take(4).read_to_end(&mut head).map_err(unreadable)?;
        let whole = io::Cursor::new(head.clone()).chain(file);
        let decode = |compressed: Box<dyn Read + Send>| -> Input {
            let mut builder = DecodeReaderBytesBuilder::new();
            // A mark at the start of the file is believed before anything else.
            builder.encoding(encoding).utf8_passthru(true).strip_bom(true).bom_override(true);
            let decoded = builder.build(compressed);
            if dialect.returns {
                return Input::Changed(Box::new(LineEnds(decoded)));
            }
            Input::Changed(Box::new(decoded))
        };
        match head.as_slice() {
            [0x1F, 0x8B, ..] => {
                Ok((decode(Box::new(flate2::read::MultiGzDecoder::new(whole))), Vec::new()))
            }
            [0x28, 0xB5, 0x2F, 0xFD] => {
                let unpacked = zstd::stream::read::Decoder::new(whole).map_err(unreadable)?;
                Ok((decode(Box::new(unpacked)), Vec::new()))
            }
            [b'P', b'K', ..] => {
                Err(Error::input(InputKind::NotText, shown, "is a compressed file, not text")
                    .help("decompress it first, or save the sheet as CSV"))
            }
            [0xFF, 0xFE, ..] | [0xFE, 0xFF, ..] => Ok((decode(Box::new(whole)), Vec::new())),
            _ if dialect.returns => Ok((decode(Box::new(whole)), Vec::new())),
            _ if encoding.is_some_and(|encoding| encoding != encoding_rs::UTF_8) => {
                Ok((decode(Box::new(whole)), Vec::new()))
            }
            _ => {
                let head = head.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(&head).to_vec();
                let (_, file) = whole.into_inner();
                Ok((Input::Plain(file.take(u64::MAX)), head))
            }
        }
    }
}

impl Input {
    /// The byte of the file that is read next; none where its bytes are others.
    pub fn position(&self) -> Option<u64> {
        match self {
            Input::Plain(file) => {
                let mut file = file.get_ref();
                file.stream_position().ok()
            }
            Input::Changed(_) => None,
        }
    }

    /// Goes to a byte of a plain file and reads this many from there; all without a length.
    pub fn go_to(&mut self, byte: u64, length: Option<u64>) -> io::Result<()> {
        let Input::Plain(file) = self else { return Err(io::ErrorKind::Unsupported.into()) };
        file.get_mut().seek(SeekFrom::Start(byte))?;
        file.set_limit(length.unwrap_or(u64::MAX));
        Ok(())
    }
}

/// Text whose rows end in carriage returns, with line ends instead.
struct LineEnds<R>(R);

impl<R: Read> Read for LineEnds<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let length = self.0.read(buffer)?;
        for byte in &mut buffer[..length] {
            if *byte == b'\r' {
                *byte = b'\n';
            }
        }
        Ok(length)
    }
}

impl Read for Input {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        match self {
            Input::Plain(file) => file.read(buffer),
            Input::Changed(source) => source.read(buffer),
        }
    }
}

/// What a stretch of a file says in another encoding, for showing it.
pub fn decoded(bytes: &[u8]) -> String {
    encoding_rs::WINDOWS_1252.decode_without_bom_handling(bytes).0.into_owned()
}
