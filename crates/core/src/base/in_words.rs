//! Values that are a sentence in JSON: what they say of themselves, and the pieces that such sentences are put together from.

use std::fmt::{self, Display, Formatter};

/// Says things in a row, with something between them.
pub(crate) fn joined<T: Display>(
    out: &mut Formatter<'_>,
    items: impl IntoIterator<Item = T>,
    between: &str,
) -> fmt::Result {
    let mut items = items.into_iter();
    items.next().map_or(Ok(()), |first| write!(out, "{first}"))?;
    items.try_for_each(|item| write!(out, "{between}{item}"))
}

/// A value with something around it; nothing where there is none.
pub(crate) struct Around<T>(pub &'static str, pub Option<T>, pub &'static str);

impl<T: Display> Display for Around<T> {
    fn fmt(&self, out: &mut Formatter<'_>) -> fmt::Result {
        let Self(before, value, after) = self;
        value.as_ref().map_or(Ok(()), |value| write!(out, "{before}{value}{after}"))
    }
}

/// Makes the JSON of a type, and the schema of that, of its [`Display`].
macro_rules! in_words {
    ($($of:ident)*) => {$(
        impl serde::Serialize for $of {
            fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
                serializer.collect_str(self)
            }
        }

        #[cfg(feature = "schema")]
        $crate::base::schema::text!($of, stringify!($of), {});
    )*};
}

pub(crate) use in_words;
