//! Why a workbook cannot be read.

use calamine::{OdsError, XlsxError};

/// What a workbook, or one of the files in it, ends with.
#[derive(Debug, thiserror::Error)]
pub(super) enum WorkbookError {
    #[error("{0}")]
    Xlsx(#[from] XlsxError),
    #[error("{0}")]
    Ods(#[from] OdsError),
    #[error("{0}")]
    Io(#[from] std::io::Error),
    #[error("{0}")]
    Zip(#[from] zip::result::ZipError),
    #[error("{0}")]
    Xml(#[from] quick_xml::Error),
    #[error("`{entry}`: {error}")]
    Entry { entry: String, error: zip::result::ZipError },
    #[error("its marks cannot be read")]
    Marks,
    #[error("its content breaks off")]
    BreaksOff,
}

impl WorkbookError {
    /// Whether it takes a password to read it.
    pub(super) fn is_protected(&self) -> bool {
        matches!(
            self,
            WorkbookError::Xlsx(XlsxError::Password) | WorkbookError::Ods(OdsError::Password)
        )
    }
}
