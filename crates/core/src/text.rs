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
    let shown: String = text.chars().filter(|c| !turns_direction(*c)).collect();
    let tidy = shown.split_whitespace().collect::<Vec<_>>().join(" ").nfc().collect::<String>();
    if !tidy.chars().any(is_seen) {
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

/// Characters that turn the direction of what follows them: a name with one in it would be shown as another.
const fn turns_direction(c: char) -> bool {
    matches!(c, '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}' | '\u{200e}' | '\u{200f}' | '\u{061c}')
}

/// Whether a character leaves a mark of its own on the page.
fn is_seen(c: char) -> bool {
    let has_no_width = matches!(c, '\u{00ad}' | '\u{034f}' | '\u{115f}' | '\u{1160}' | '\u{17b4}' | '\u{17b5}' | '\u{180b}'..='\u{180f}'
        | '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2060}'..='\u{206f}' | '\u{2800}' | '\u{3164}' | '\u{fe00}'..='\u{fe0f}'
        | '\u{feff}' | '\u{ffa0}' | '\u{fff9}'..='\u{fffb}' | '\u{e0000}'..='\u{e0fff}');
    !(has_no_width || c.is_whitespace() || c.is_control() || is_combining_mark(c))
}

/// Any text as it comes in: without the characters that no keyboard types and no page shows (a NUL of a bad copy and its
/// like); line breaks and tabs stay.
pub fn clean(text: &str) -> String {
    text.chars().filter(|c| !c.is_control() || matches!(c, '\n' | '\r' | '\t')).collect()
}

/// A free text as it is stored: trimmed, absent when empty.
///
/// # Errors
/// [`Code::OutOfRange`] beyond [`NOTE_MAX`] characters.
pub fn note(text: &str, field: &str) -> Result<Option<String>, InputError> {
    let tidy = clean(text.trim());
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

/// The longest form of a name that search compares, in characters: some letters are several when they are taken apart.
pub const KEY_MAX: usize = 200;

/// The form of a name that is kept to be searched: that of any text, at most [`KEY_MAX`] characters of it.
pub fn name_key(name: &str) -> String {
    search_key(name).chars().take(KEY_MAX).collect()
}

/// The form of a text that search compares: lower case, without marks.
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

/// Its first letter small, for the middle of a sentence.
pub fn small(words: &str) -> String {
    let mut letters = words.chars();
    letters.next().map_or_else(String::new, |first| first.to_lowercase().chain(letters).collect())
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
        assert_eq!(name_key(&"ﷺ".repeat(NAME_MAX)).chars().count(), KEY_MAX, "one letter that is eighteen");
    }

    #[test]
    fn a_name_that_nobody_could_see_is_none_and_no_name_turns_the_line() {
        for unseen in ["\u{200b}\u{200d}", "\u{202e}\u{202e}", "\u{feff}", "\u{2800}", "\u{301}"] {
            assert_eq!(name(unseen, "name").unwrap_err().code, Code::MissingInput, "{unseen:?}");
        }
        assert_eq!(name("Ada \u{202e}nosretep", "name").unwrap(), "Ada nosretep");
        assert_eq!(name("می\u{200c}خواهم", "name").unwrap(), "می\u{200c}خواهم", "a joiner belongs to the word");
        assert_eq!(clean("two\nlines\0\u{7}"), "two\nlines");
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
