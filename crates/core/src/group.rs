//! People in groups: a squad, a class. Who belongs, with which number on the shirt and in which playing group.

use std::collections::{HashMap, HashSet};

use uuid::Uuid;

use crate::{
    error::{Code, InputError},
    text,
};

/// The most members of a group at a time.
pub const MEMBERS_MAX: usize = 200;
/// The highest number on a shirt.
pub const NUMBER_MAX: u16 = 999;
/// The longest name of a playing group, characters.
const PLAYING_GROUP_MAX: usize = 60;

/// A member as a group's rules see it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Member {
    /// The membership, which a change leaves as it is.
    pub id: Uuid,
    pub person: Uuid,
    pub name: String,
    pub number: Option<u16>,
}

/// Looks through everybody who will belong to a group: nobody is in it twice, no number is worn by two.
///
/// # Errors
/// [`Code::OutOfRange`] on `person` or `number` with the names, or on `members` where there are too many.
pub fn check(members: &[Member]) -> Result<(), InputError> {
    if members.len() > MEMBERS_MAX {
        let message = format!("A group has at most {MEMBERS_MAX} members; this would make {}.", members.len());
        return Err(InputError::new(Code::OutOfRange, "members", message));
    }
    let (mut people, mut numbers) = (HashSet::new(), HashMap::new());
    for member in members {
        if !people.insert(member.person) {
            return Err(InputError::new(Code::OutOfRange, "person", format!("{} is in this group already.", member.name)));
        }
        let Some(number) = member.number else { continue };
        if let Some(other) = numbers.insert(number, &member.name) {
            let message = format!("Number {number} is {other}’s. Choose another one for {}.", member.name);
            return Err(InputError::new(Code::OutOfRange, "number", message));
        }
    }
    Ok(())
}

/// Reads a number on a shirt: 0 to 999, `#7` or `7`; empty for none.
///
/// # Errors
/// [`Code::OutOfRange`] on `number`.
pub fn number(typed: &str) -> Result<Option<u16>, InputError> {
    let plain = typed.trim().trim_start_matches('#').trim();
    if plain.is_empty() {
        return Ok(None);
    }
    match plain.parse::<u16>() {
        Ok(number) if number <= NUMBER_MAX => Ok(Some(number)),
        _ => {
            Err(InputError::new(Code::OutOfRange, "number", format!("“{typed}” isn’t a shirt number. Type 0 to {NUMBER_MAX}, or nothing.")))
        }
    }
}

/// Reads the name of a playing group; empty for none.
///
/// # Errors
/// [`Code::OutOfRange`] on `playing_group`.
pub fn playing_group(typed: &str) -> Result<Option<String>, InputError> {
    let tidy = text::note(typed, "playing_group")?;
    match tidy.as_ref().map(|t| t.chars().count()) {
        Some(length) if length > PLAYING_GROUP_MAX => {
            let message = format!("This playing group has {length} characters; {PLAYING_GROUP_MAX} is the most.");
            Err(InputError::new(Code::OutOfRange, "playing_group", message))
        }
        _ => Ok(tidy),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use test_case::test_case;

    fn member(k: u128, person: u128, number: Option<u16>) -> Member {
        Member { id: Uuid::from_u128(k), person: Uuid::from_u128(person), name: format!("P{person}"), number }
    }

    #[test]
    fn nobody_is_in_it_twice_and_no_number_is_worn_by_two() {
        assert!(check(&[member(1, 1, Some(7)), member(2, 2, Some(8)), member(3, 3, None), member(4, 4, None)]).is_ok());
        let twice = check(&[member(1, 1, None), member(2, 1, None)]).unwrap_err();
        assert_eq!((twice.field.as_deref(), twice.message.as_str()), (Some("person"), "P1 is in this group already."));
        let worn = check(&[member(1, 1, Some(7)), member(2, 2, Some(7))]).unwrap_err();
        assert_eq!((worn.field.as_deref(), worn.message.as_str()), (Some("number"), "Number 7 is P1’s. Choose another one for P2."));
        let many: Vec<Member> = (0..=MEMBERS_MAX as u128).map(|k| member(k, k, None)).collect();
        assert_eq!(check(&many).unwrap_err().field.as_deref(), Some("members"));
    }

    #[test_case("7", Ok(Some(7)); "plain")]
    #[test_case(" #12 ", Ok(Some(12)); "with its sign")]
    #[test_case("", Ok(None); "none")]
    #[test_case("0", Ok(Some(0)); "zero is worn too")]
    #[test_case("1000", Err(()); "too high")]
    #[test_case("7b", Err(()); "not a number")]
    fn a_shirt_number_is_read(typed: &str, wanted: Result<Option<u16>, ()>) {
        assert_eq!(number(typed).map_err(|_| ()), wanted);
    }

    #[test]
    fn a_playing_group_is_a_short_name() {
        assert_eq!(playing_group("  front row ").unwrap().as_deref(), Some("front row"));
        assert_eq!(playing_group(" ").unwrap(), None);
        assert_eq!(playing_group(&"x".repeat(61)).unwrap_err().field.as_deref(), Some("playing_group"));
    }
}
