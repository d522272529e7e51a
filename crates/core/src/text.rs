//! Names and small words.

use unicode_normalization::{UnicodeNormalization, char::is_combining_mark};

use crate::error::{Code, InputError};

/// The longest name accepted, in characters.
pub const NAME_MAX: usize = 120;
/// The longest note accepted, in characters.
pub const NOTE_MAX: usize = 4000;

/// A name as it is stored: trimmed, inner white space single, any script.
///
/// # Errors
/// [`Code::MissingInput`] when nothing is left, [`Code::OutOfRange`] beyond [`NAME_MAX`] characters or with control
/// characters in it.
pub fn name(text: &str, field: &str) -> Result<String, InputError> {
    let tidy = text.split_whitespace().collect::<Vec<_>>().join(" ").nfc().collect::<String>();
    if tidy.is_empty() {
        return Err(InputError::new(Code::MissingInput, field, "Give a name; one word is enough."));
    }
    let length = tidy.chars().count();
    if length > NAME_MAX {
        return Err(InputError::new(
            Code::OutOfRange,
            field,
            format!("This name has {length} characters; {NAME_MAX} is the most. Shorten it."),
        ));
    }
    if tidy.chars().any(char::is_control) {
        return Err(InputError::new(Code::OutOfRange, field, "The name holds characters that cannot be shown. Type it again."));
    }
    Ok(tidy)
}

/// A free text as it is stored: trimmed, absent when empty.
///
/// # Errors
/// [`Code::OutOfRange`] beyond [`NOTE_MAX`] characters.
pub fn note(text: &str, field: &str) -> Result<Option<String>, InputError> {
    let tidy = text.trim().replace('\0', "");
    let length = tidy.chars().count();
    if length > NOTE_MAX {
        return Err(InputError::new(
            Code::OutOfRange,
            field,
            format!("This text has {length} characters; {NOTE_MAX} is the most. Shorten it."),
        ));
    }
    Ok((!tidy.is_empty()).then_some(tidy))
}

/// The form of a name that search compares: lower case, without marks.
pub fn search_key(text: &str) -> String {
    text.nfkd()
        .filter(|c| !is_combining_mark(*c))
        .flat_map(char::to_lowercase)
        .collect::<String>()
        .split_whitespace()
        .collect::<Vec<_>>()
        .join(" ")
}

/// Joins words as a sentence does: `a`, `a and b`, `a, b and c`.
pub fn list(words: &[String]) -> String {
    match words {
        [] => String::new(),
        [one] => one.clone(),
        [init @ .., last] => format!("{} and {last}", init.join(", ")),
    }
}

/// The same words with a capital at the front.
pub fn capital(words: &str) -> String {
    let mut letters = words.chars();
    letters.next().map(|first| first.to_uppercase().chain(letters).collect()).unwrap_or_default()
}

/// `1 week`, `3 weeks`.
pub fn plural(n: i64, one: &str) -> String {
    if n == 1 { format!("1 {one}") } else { format!("{n} {one}s") }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_of_any_script_are_kept_and_found() {
        assert_eq!(name("  Noémi   Strand ", "name").unwrap(), "Noémi Strand");
        assert_eq!(search_key("Noémi STRAND"), "noemi strand");
        assert_eq!(name("ليلى حداد", "name").unwrap(), "ليلى حداد");
        assert_eq!(search_key("ليلى"), "ليلى");
    }

    #[test]
    fn unusable_names_say_what_to_do() {
        assert_eq!(name(" \n ", "name").unwrap_err().code, Code::MissingInput);
        let error = name(&"x".repeat(10_000), "name").unwrap_err();
        assert!(error.message.contains("10000 characters; 120 is the most"), "{error}");
    }

    #[test]
    fn lists_read_as_sentences() {
        let words = |n: usize| ["bench", "warm-up", "drug"][..n].iter().map(ToString::to_string).collect::<Vec<_>>();
        assert_eq!(list(&words(3)), "bench, warm-up and drug");
        assert_eq!(list(&words(1)), "bench");
    }
}
