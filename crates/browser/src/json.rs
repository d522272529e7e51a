//! Reads a question for a browser, in as little code as it can: every byte of this file's work is loaded with a run.
//!
//! Half of the core's size would otherwise be what happens when a field of a question has another shape: an error built, passed on and
//! what was read so far given back, a field at a time. Here a question of another shape ends the call instead, and the screen goes on
//! with a new core or with the server's word. It comes from our own screens alone, and the server reads all of it once more.

use std::{fmt, process};

use serde::{
    Deserializer, de,
    de::{DeserializeSeed, EnumAccess, MapAccess, SeqAccess, VariantAccess, Visitor},
};
use serde_json::{Value, map, value::Number};

/// The error of reading. It is never made: a question that cannot be read ends the call.
#[derive(Debug)]
pub enum Unreadable {}

impl fmt::Display for Unreadable {
    fn fmt(&self, _: &mut fmt::Formatter<'_>) -> fmt::Result {
        match *self {}
    }
}

impl std::error::Error for Unreadable {}

impl de::Error for Unreadable {
    fn custom<T: fmt::Display>(_: T) -> Self {
        process::abort()
    }
}

/// A value of a question. A structure is read from an object and a number from a number; what else serde could read them from is left out.
pub struct Json(pub Value);

fn whole(number: &Number) -> u64 {
    number.as_u64().unwrap_or_else(|| process::abort())
}

fn signed(number: &Number) -> i64 {
    number.as_i64().unwrap_or_else(|| process::abort())
}

fn real(number: &Number) -> f64 {
    number.as_f64().unwrap_or_else(|| process::abort())
}

impl Json {
    fn number(self) -> Number {
        match self.0 {
            Value::Number(number) => number,
            _ => process::abort(),
        }
    }

    fn words(self) -> String {
        match self.0 {
            Value::String(words) => words,
            _ => process::abort(),
        }
    }

    fn object(self) -> Entries {
        match self.0 {
            Value::Object(object) => Entries { left: object.into_iter(), value: Value::Null },
            _ => process::abort(),
        }
    }

    fn list(self) -> List {
        match self.0 {
            Value::Array(list) => List(list.into_iter()),
            _ => process::abort(),
        }
    }
}

macro_rules! numbers {
    ($($method:ident $visit:ident $read:path),*) => {
        $(fn $method<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, Unreadable> {
            visitor.$visit($read(&self.number()))
        })*
    };
}

impl<'de> Deserializer<'de> for Json {
    type Error = Unreadable;

    fn deserialize_any<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, Unreadable> {
        match self.0 {
            Value::Null => visitor.visit_unit(),
            Value::Bool(yes) => visitor.visit_bool(yes),
            Value::Number(number) if number.is_u64() => visitor.visit_u64(whole(&number)),
            Value::Number(number) if number.is_i64() => visitor.visit_i64(signed(&number)),
            Value::Number(number) => visitor.visit_f64(real(&number)),
            Value::String(words) => visitor.visit_string(words),
            Value::Array(list) => visitor.visit_seq(List(list.into_iter())),
            Value::Object(_) => visitor.visit_map(self.object()),
        }
    }

    numbers! {
        deserialize_i8 visit_i64 signed, deserialize_i16 visit_i64 signed, deserialize_i32 visit_i64 signed, deserialize_i64 visit_i64 signed,
        deserialize_u8 visit_u64 whole, deserialize_u16 visit_u64 whole, deserialize_u32 visit_u64 whole, deserialize_u64 visit_u64 whole,
        deserialize_f32 visit_f64 real, deserialize_f64 visit_f64 real
    }

    fn deserialize_bool<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, Unreadable> {
        match self.0 {
            Value::Bool(yes) => visitor.visit_bool(yes),
            _ => process::abort(),
        }
    }

    fn deserialize_str<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, Unreadable> {
        visitor.visit_str(&self.words())
    }

    fn deserialize_string<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, Unreadable> {
        visitor.visit_string(self.words())
    }

    fn deserialize_identifier<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, Unreadable> {
        visitor.visit_str(&self.words())
    }

    fn deserialize_option<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, Unreadable> {
        match self.0 {
            Value::Null => visitor.visit_none(),
            _ => visitor.visit_some(self),
        }
    }

    fn deserialize_newtype_struct<V: Visitor<'de>>(self, _: &'static str, visitor: V) -> Result<V::Value, Unreadable> {
        visitor.visit_newtype_struct(self)
    }

    fn deserialize_seq<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, Unreadable> {
        visitor.visit_seq(self.list())
    }

    fn deserialize_tuple<V: Visitor<'de>>(self, _: usize, visitor: V) -> Result<V::Value, Unreadable> {
        visitor.visit_seq(self.list())
    }

    fn deserialize_tuple_struct<V: Visitor<'de>>(self, _: &'static str, _: usize, visitor: V) -> Result<V::Value, Unreadable> {
        visitor.visit_seq(self.list())
    }

    fn deserialize_map<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, Unreadable> {
        visitor.visit_map(self.object())
    }

    fn deserialize_struct<V: Visitor<'de>>(self, _: &'static str, _: &'static [&'static str], visitor: V) -> Result<V::Value, Unreadable> {
        visitor.visit_map(self.object())
    }

    fn deserialize_enum<V: Visitor<'de>>(self, _: &'static str, _: &'static [&'static str], visitor: V) -> Result<V::Value, Unreadable> {
        visitor.visit_enum(match self.0 {
            Value::String(name) => Variant { name, value: Value::Null },
            Value::Object(object) => match object.into_iter().next() {
                Some((name, value)) => Variant { name, value },
                None => process::abort(),
            },
            _ => process::abort(),
        })
    }

    fn deserialize_ignored_any<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, Unreadable> {
        visitor.visit_unit()
    }

    serde::forward_to_deserialize_any! { char bytes byte_buf unit unit_struct }
}

struct List(std::vec::IntoIter<Value>);

impl<'de> SeqAccess<'de> for List {
    type Error = Unreadable;

    fn next_element_seed<T: DeserializeSeed<'de>>(&mut self, seed: T) -> Result<Option<T::Value>, Unreadable> {
        self.0.next().map(|value| seed.deserialize(Json(value))).transpose()
    }

    fn size_hint(&self) -> Option<usize> {
        Some(self.0.len())
    }
}

struct Entries {
    left: map::IntoIter,
    value: Value,
}

impl<'de> MapAccess<'de> for Entries {
    type Error = Unreadable;

    fn next_key_seed<K: DeserializeSeed<'de>>(&mut self, seed: K) -> Result<Option<K::Value>, Unreadable> {
        let Some((key, value)) = self.left.next() else { return Ok(None) };
        self.value = value;
        seed.deserialize(Json(Value::String(key))).map(Some)
    }

    fn next_value_seed<T: DeserializeSeed<'de>>(&mut self, seed: T) -> Result<T::Value, Unreadable> {
        seed.deserialize(Json(self.value.take()))
    }
}

struct Variant {
    name: String,
    value: Value,
}

impl<'de> EnumAccess<'de> for Variant {
    type Error = Unreadable;
    type Variant = Json;

    fn variant_seed<T: DeserializeSeed<'de>>(self, seed: T) -> Result<(T::Value, Json), Unreadable> {
        Ok((seed.deserialize(Json(Value::String(self.name)))?, Json(self.value)))
    }
}

impl<'de> VariantAccess<'de> for Json {
    type Error = Unreadable;

    fn unit_variant(self) -> Result<(), Unreadable> {
        Ok(())
    }

    fn newtype_variant_seed<T: DeserializeSeed<'de>>(self, seed: T) -> Result<T::Value, Unreadable> {
        seed.deserialize(self)
    }

    fn tuple_variant<V: Visitor<'de>>(self, _: usize, visitor: V) -> Result<V::Value, Unreadable> {
        visitor.visit_seq(self.list())
    }

    fn struct_variant<V: Visitor<'de>>(self, _: &'static [&'static str], visitor: V) -> Result<V::Value, Unreadable> {
        visitor.visit_map(self.object())
    }
}
