//! Looks as files of design tokens: the format of the W3C's Design Tokens Community Group, module 2025.10.
//!
//! A file has the groups `day` and `night`, each with our tokens under their words. Colours are of type `color`, numbers of
//! type `number`, the font is a `fontFamily` and its weight a `fontWeight`. The format has no type for one of several words, so
//! those stand in the group's `$extensions`, with the name and the shipped look in those of the whole file. Whatever
//! else a file says is kept and written again.

use super::font::FONTS;
use super::{Base, Font, Form, OwnLook, Token, Values};
use serde_json::{Map, Value, json};

/// Our word in `$extensions`.
const OURS: &str = "org.eager-tally";
const EXTENSIONS: &str = "$extensions";
const VALUE: &str = "$value";
/// How many references lead from one token to the next at most.
const MOST_STEPS: usize = 32;

/// Why a file is no look; the text says where, and what to change.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{path}: {why}")]
pub struct FileError {
    /// Where, as a path of groups with points between them.
    pub path: String,
    /// What is wrong.
    pub why: String,
}

fn wrong(path: &str, why: impl Into<String>) -> FileError {
    FileError { path: path.to_owned(), why: why.into() }
}

/// A token's value in the format, if the format has a type for it.
fn written(token: Token, value: &str) -> Option<Value> {
    match token.about().3 {
        Form::Colour => {
            let part = |from: usize| u8::from_str_radix(value.get(from..from.saturating_add(2))?, 16).ok();
            let share = |byte: u8| f64::from(byte) / 255.0;
            let components = [share(part(1)?), share(part(3)?), share(part(5)?)];
            let value = json!({"colorSpace": "srgb", "components": components, "alpha": 1, "hex": value});
            Some(json!({"$type": "color", "$value": value}))
        }
        Form::Number(..) => {
            let kind = if token == Token::FontWeight { "fontWeight" } else { "number" };
            Some(json!({"$type": kind, "$value": value.parse::<i32>().ok()?}))
        }
        Form::Font => Some(json!({"$type": "fontFamily", "$value": [Font::of(value).family]})),
        Form::Choice(_) | Form::Clip(..) => None,
    }
}

/// A member that is an object; an empty one is made where there is none.
fn group<'a>(of: &'a mut Map<String, Value>, name: &str) -> &'a mut Map<String, Value> {
    let place = of.entry(name).or_insert_with(|| json!({}));
    if !place.is_object() {
        *place = json!({});
    }
    match place {
        Value::Object(group) => group,
        _ => unreachable!("it was made an object"),
    }
}

/// A look as a file.
#[must_use]
pub fn to_file(look: &OwnLook) -> Value {
    let mut file = look.rest.clone();
    let own = json!({"name": look.name, "base": look.base.key()});
    group(&mut file, EXTENSIONS).insert(OURS.into(), own);
    for (name, values) in [("day", &look.day), ("night", &look.night)] {
        if values.is_empty() {
            continue;
        }
        let of = group(&mut file, name);
        let mut words = Map::new();
        for (token, value) in values {
            match written(*token, value) {
                Some(written) => drop(of.insert(token.key().into(), written)),
                None => drop(words.insert(token.key().into(), json!(value))),
            }
        }
        if !words.is_empty() {
            group(of, EXTENSIONS).insert(OURS.into(), words.into());
        }
    }
    file.into()
}

/// What a value stands for, wherever it refers to.
fn resolved<'a>(file: &'a Value, path: &str, mut value: &'a Value) -> Result<&'a Value, FileError> {
    for _ in 0..MOST_STEPS {
        let named = value.as_str().and_then(|text| text.strip_prefix('{')?.strip_suffix('}'));
        let pointed = value.get("$ref").and_then(Value::as_str).and_then(|text| text.strip_prefix('#'));
        let found = match (named, pointed) {
            (Some(named), _) => named.split('.').try_fold(file, |at, part| at.get(part)),
            (None, Some(pointed)) => file.pointer(pointed),
            (None, None) => return Ok(value),
        };
        let found = found.ok_or_else(|| wrong(path, format!("it refers to {value}, which is not in the file")))?;
        value = found.get(VALUE).unwrap_or(found);
    }
    Err(wrong(path, "its references lead round in a circle; write the value itself"))
}

/// A value of the format as ours is typed; none where it says something that no widget understands.
fn read(token: Token, path: &str, value: &Value) -> Result<Option<String>, FileError> {
    let text = match token.about().3 {
        Form::Colour => colour(path, value)?,
        Form::Number(..) => match (value, value.as_f64()) {
            (_, Some(number)) if number.fract() == 0.0 => format!("{number:.0}"),
            (Value::String(word), _) if token == Token::FontWeight => match weight(word) {
                Some(weight) => weight.to_string(),
                None => return Err(wrong(path, "this is no weight; write a number from 300 to 900")),
            },
            _ => return Err(wrong(path, "it must be a whole number")),
        },
        Form::Font => {
            let families: Vec<&str> = match value {
                Value::String(one) => vec![one],
                Value::Array(all) => all.iter().filter_map(Value::as_str).collect(),
                _ => return Ok(None),
            };
            let known = |family: &&str| FONTS.iter().find(|font| font.family.eq_ignore_ascii_case(family));
            match families.iter().find_map(known) {
                Some(font) => font.key.to_owned(),
                None => return Ok(None),
            }
        }
        Form::Choice(_) | Form::Clip(..) => return Ok(None),
    };
    token.read(&text).map(Some).map_err(|error| wrong(path, error.to_string()))
}

/// The names of weights that the format knows.
fn weight(word: &str) -> Option<i32> {
    Some(match word {
        "light" => 300,
        "normal" | "regular" | "book" => 400,
        "medium" => 500,
        "semi-bold" | "demi-bold" => 600,
        "bold" => 700,
        "extra-bold" | "ultra-bold" => 800,
        "black" | "heavy" => 900,
        _ => return None,
    })
}

fn colour(path: &str, value: &Value) -> Result<String, FileError> {
    if let Some(hex) = value.as_str().or_else(|| value.get("hex").and_then(Value::as_str)) {
        return Ok(hex.to_owned());
    }
    let components = value.get("components").and_then(Value::as_array);
    match (value.get("colorSpace").and_then(Value::as_str), components.map(Vec::as_slice)) {
        (Some("srgb"), Some([red, green, blue])) => {
            // A component may be "none", which is nothing of it.
            let byte = |part: &Value| (part.as_f64().unwrap_or(0.0).clamp(0.0, 1.0) * 255.0).round();
            let (red, green, blue) = (byte(red), byte(green), byte(blue));
            let hex = |part: f64| (0..=255_u8).find(|byte| f64::from(*byte) >= part).unwrap_or(u8::MAX);
            Ok(format!("#{:02x}{:02x}{:02x}", hex(red), hex(green), hex(blue)))
        }
        (Some(space), _) if space != "srgb" => {
            Err(wrong(path, format!("colours in {space} are not read; add \"hex\", or write it in srgb")))
        }
        _ => Err(wrong(path, "a colour is written as #rrggbb, or with colorSpace and three components")),
    }
}

/// Takes what is ours out of a group of a file.
fn take(file: &Value, name: &str, rest: &mut Map<String, Value>) -> Result<Values, FileError> {
    let mut values = Values::new();
    let Some(Value::Object(of)) = rest.get_mut(name) else { return Ok(values) };
    for token in Token::ALL {
        let path = format!("{name}.{}", token.key());
        let Some(value) = of.get(token.key()).and_then(|member| member.get(VALUE)) else { continue };
        if let Some(value) = read(token, &path, resolved(file, &path, value)?)? {
            values.insert(token, value);
            of.remove(token.key());
        }
    }
    for (key, value) in taken(of) {
        let path = format!("{name}.{EXTENSIONS}.{OURS}.{key}");
        let token = Token::of_key(&key).ok_or_else(|| wrong(&path, "a look has no such part"))?;
        let text = value.as_str().ok_or_else(|| wrong(&path, "it must be a word"))?;
        values.insert(token, token.read(text).map_err(|error| wrong(&path, error.to_string()))?);
    }
    if of.is_empty() {
        rest.remove(name);
    }
    Ok(values)
}

/// Takes our extensions out of a group, and the place for extensions too if nobody else has any there.
fn taken(of: &mut Map<String, Value>) -> Map<String, Value> {
    let Some(Value::Object(extensions)) = of.get_mut(EXTENSIONS) else { return Map::new() };
    let ours = extensions.remove(OURS);
    if extensions.is_empty() {
        of.remove(EXTENSIONS);
    }
    match ours {
        Some(Value::Object(ours)) => ours,
        _ => Map::new(),
    }
}

/// A file as a look.
///
/// # Errors
/// It is no object, or one of our tokens says something that none of them takes.
pub fn from_file(file: &Value) -> Result<OwnLook, FileError> {
    let Value::Object(rest) = file else {
        return Err(wrong("the file", "it must be an object of groups and tokens"));
    };
    let mut rest = rest.clone();
    let own = taken(&mut rest);
    let word = |name: &str| own.get(name).and_then(Value::as_str);
    let base = match word("base") {
        None => Base::default(),
        Some(key) => Base::ALL
            .into_iter()
            .find(|base| base.key() == key)
            .ok_or_else(|| wrong("$extensions", format!("there is no look “{key}” to derive from")))?,
    };
    let name = word("name").unwrap_or("A look from a file").to_owned();
    let (day, night) = (take(file, "day", &mut rest)?, take(file, "night", &mut rest)?);
    Ok(OwnLook { name, base, day, night, rest })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn value(token: Token) -> BoxedStrategy<String> {
        match token.about().3 {
            Form::Colour => "#[0-9a-f]{6}".boxed(),
            Form::Number(from, to, step) => {
                (0..=(to - from) / step).prop_map(move |at| (from + at * step).to_string()).boxed()
            }
            Form::Choice(words) | Form::Clip(_, words) => {
                prop::sample::select(words.iter().map(|(key, _)| (*key).to_owned()).collect::<Vec<_>>()).boxed()
            }
            Form::Font => {
                prop::sample::select(FONTS.iter().map(|font| font.key.to_owned()).collect::<Vec<_>>()).boxed()
            }
        }
    }

    fn values() -> impl Strategy<Value = Values> {
        let one = prop::sample::select(Token::ALL.to_vec()).prop_flat_map(|token| (Just(token), value(token)));
        prop::collection::btree_map(any::<u8>(), one, 0..20).prop_map(|all| all.into_values().collect())
    }

    fn look() -> impl Strategy<Value = OwnLook> {
        let rest = prop::sample::select(vec![
            json!({}),
            json!({"$description": "Somebody's", "space": {"small": {"$type": "dimension", "$value": {"value": 4, "unit": "px"}}}}),
            json!({"day": {"glow": {"$type": "shadow", "$value": {}}}, "$extensions": {"org.example": [1, 2]}}),
        ]);
        ("[A-Za-z ]{1,20}", prop::sample::select(Base::ALL.to_vec()), values(), values(), rest).prop_map(
            |(name, base, day, night, rest)| {
                let Value::Object(rest) = rest else { unreachable!() };
                OwnLook { name, base, day, night, rest }
            },
        )
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(400))]

        #[test]
        fn a_look_is_read_back_from_its_file_as_it_was(look in look()) {
            let text = serde_json::to_string(&to_file(&look)).unwrap();
            prop_assert_eq!(from_file(&serde_json::from_str(&text).unwrap()).unwrap(), look);
        }

        #[test]
        fn no_file_makes_it_panic_and_what_is_read_can_be_written(
            token in prop::sample::select(Token::ALL.to_vec()),
            member in prop::sample::select(vec![
                json!(1), json!(-3.5), json!("#ABCDEF"), json!("{day.fill}"), json!({"$ref": "#/day/fill"}), json!(null),
                json!([]), json!({"colorSpace": "srgb", "components": [0.5, "none", 2]}), json!(["Alegreya", "serif"]),
                json!({"colorSpace": "lab", "components": [1, 2, 3]}), json!("bold"), json!(1e300),
            ]),
        ) {
            let mut file = json!({"day": {"fill": {"$value": "#123456"}}});
            file["day"][token.key()] = json!({"$value": member});
            if let Ok(look) = from_file(&file) {
                prop_assert_eq!(from_file(&to_file(&look)).unwrap(), look);
            }
        }
    }

    #[test]
    fn files_of_others_are_read_and_what_they_say_besides_is_kept() {
        let file = json!({
            "palette": {"brass": {"$type": "color", "$value": {"colorSpace": "srgb", "components": [0.886, 0.651, 0.169]}}},
            "day": {
                "fill": {"$type": "color", "$value": "{palette.brass}"},
                "track": {"$value": {"$ref": "#/palette/brass/$value"}},
                "font": {"$type": "fontFamily", "$value": ["Nobody's Own", "Alegreya"]},
                "font_weight": {"$type": "fontWeight", "$value": "bold"},
            },
            "night": {"font": {"$value": "Nobody's Own"}},
        });
        let look = from_file(&file).unwrap();
        assert_eq!(look.day[&Token::Fill], "#e2a62b");
        assert_eq!(look.day[&Token::Track], "#e2a62b");
        assert_eq!((look.day[&Token::Font].as_str(), look.day[&Token::FontWeight].as_str()), ("alegreya", "700"));
        let again = to_file(&look);
        assert_eq!(again["palette"], file["palette"]);
        assert_eq!(again["night"], file["night"], "a font that we do not have is kept for others");
    }

    #[test]
    fn what_is_wrong_is_said_with_its_place() {
        let told = |file: Value| from_file(&file).unwrap_err().to_string();
        assert!(told(json!([])).starts_with("the file: it must be an object"));
        let circle = json!({"day": {"fill": {"$value": "{day.track}"}, "track": {"$value": "{day.fill}"}}});
        assert!(told(circle).contains("round in a circle"));
        assert!(told(json!({"day": {"fill": {"$value": "{no.where}"}}})).starts_with("day.fill: it refers to"));
        assert!(told(json!({"day": {"fill": {"$value": "red"}}})).starts_with("day.fill: Fill must be a colour"));
        assert!(
            told(json!({"day": {"padding": {"$value": 1.5}}})).starts_with("day.padding: it must be a whole number")
        );
        assert!(told(json!({"night": {"padding": {"$value": 9_000}}})).starts_with("night.padding: Padding must lie"));
        let lab = json!({"day": {"fill": {"$value": {"colorSpace": "lab", "components": [1, 2, 3]}}}});
        assert!(told(lab).contains("write it in srgb"));
        assert!(told(json!({"$extensions": {OURS: {"base": "velvet"}}})).contains("velvet"));
    }
}
