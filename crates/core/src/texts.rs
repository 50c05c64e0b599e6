//! Columns of text views, made without checking again what is known to hold.

use arrow_array::{Array, StringViewArray};
use arrow_buffer::ScalarBuffer;

/// A column of views that all come from another column.
pub(crate) fn with_views(texts: &StringViewArray, views: Vec<u128>) -> StringViewArray {
    debug_assert!(texts.nulls().is_none());
    let buffers = texts.data_buffers().clone();
    // SAFETY: every view is one of `texts` or zero, which is the empty text; the buffers are the same.
    #[allow(unsafe_code)]
    unsafe {
        StringViewArray::new_unchecked(ScalarBuffer::from(views), buffers, None)
    }
}
