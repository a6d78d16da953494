//! The words of which some tokens take one: the key of each, and how it is offered.

pub(super) const CASES: &[(&str, &str)] =
    &[("written", "As written"), ("upper", "CAPITALS"), ("small", "Small capitals")];
pub(super) const SIDES_WORDS: &[(&str, &str)] = &[("left", "Left"), ("centre", "Middle"), ("right", "Right")];
pub(super) const ENTERS: &[(&str, &str)] =
    &[("top", "From above"), ("bottom", "From below"), ("left", "From the left"), ("right", "From the right")];
pub(super) const PACES: &[(&str, &str)] =
    &[("still", "Nothing moves"), ("brisk", "Brisk"), ("calm", "Calm"), ("slow", "Slow")];
pub(super) const CELEBRATIONS: &[(&str, &str)] =
    &[("none", "Nothing"), ("bunting", "Bunting falls"), ("lamps", "Lamps light up"), ("steam", "A whistle of steam")];
pub(super) const SOUNDS: &[(&str, &str)] =
    &[("none", "Nothing"), ("bell", "Station bell"), ("whistle", "Guard’s whistle"), ("chime", "Three chimes")];

pub(super) const TICKS: &[(&str, &str)] = &[("none", "Nothing"), ("tick", "Clock tick"), ("knock", "Wooden knock")];
pub(super) const DONES: &[(&str, &str)] = &[
    ("none", "Nothing"),
    ("gong", "Platform gong"),
    ("bell", "Station bell"),
    ("whistle", "Guard’s whistle"),
    ("chime", "Three chimes"),
];
pub(super) const OPENEDS: &[(&str, &str)] =
    &[("none", "Nothing"), ("bell", "Station bell"), ("whistle", "Guard’s whistle"), ("chime", "Three chimes")];
pub(super) const ADDEDS: &[(&str, &str)] =
    &[("none", "Nothing"), ("coin", "Coin in a tin"), ("pluck", "Plucked string")];
pub(super) const MOTIONS: &[(&str, &str)] =
    &[("slide", "Slide"), ("drop", "Drop"), ("unfold", "Unfold"), ("fade", "Fade"), ("cut", "At once")];
pub(super) const NO_PICTURE: &[(&str, &str)] = &[("none", "None")];
pub(super) const SHIPPED_DRAWING: &[(&str, &str)] = &[("none", "That of its shape")];
pub(super) const HEADINGS: &[(&str, &str)] = &[("shown", "Shown"), ("hidden", "Hidden")];
pub(super) const ICONS: &[(&str, &str)] = &[
    ("own", "That of its kind"),
    ("none", "None"),
    ("lamp", "Lamp"),
    ("ticket", "Ticket"),
    ("parcel", "Parcel"),
    ("coin", "Coin"),
    ("whistle", "Whistle"),
    ("wheels", "Wheels"),
    ("bell", "Bell"),
    ("cup", "Cup"),
    ("pennant", "Pennant"),
    ("star", "Star"),
];

/// The sounds that come along: the word of each, and its name.
pub fn sounds() -> impl Iterator<Item = (&'static str, &'static str)> {
    let once = SOUNDS.iter().chain(&DONES[1..2]).chain(ADDEDS).chain(TICKS);
    once.copied().filter(|(key, _)| *key != "none")
}

/// The drawn set of signs: the word of each, and its name.
pub fn icons() -> impl Iterator<Item = (&'static str, &'static str)> {
    // The first two choices say whether there is one at all.
    ICONS.iter().skip(2).copied()
}
