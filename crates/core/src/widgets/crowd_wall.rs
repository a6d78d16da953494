//! Crowd walls: the faces of those who are here, or who have helped.

use super::{Cued, Family, NoActs, no_such_part};
use crate::book::chat::Role;
use crate::count::explain::{Slip, of_several};
use crate::count::{Count, Keep, Scope, sentence as counting};
use crate::lines::SAMPLE_NAMES;
use crate::look::tokens::{EDGE, LINES, PLATE, TEXT, TITLED};
use crate::look::{self, Shape};
use crate::record::measure::Measure;
use crate::record::settings::Settings;
use crate::sentence::{EditError, Editor, Part, input};
use crate::time::calendar::Period;
use crate::time::{Instant, after, before};
use crate::widgets::view::View;
use chrono::TimeDelta;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

const TITLE: &str = "The title";
const WHO: &str = "The people shown";
const TIERS: &str = "The tiers";
const MINUTES: &str = "The number of minutes";
const ROWS: &str = "The number of rows";
const COLUMNS: &str = "The number of columns";
const NAMES: &str = "The names under the faces";
const WITH: [(&str, &str); 2] = [("with", "with names"), ("without", "without names")];

/// Whose faces, in what grid.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct CrowdWall {
    /// Its name, also on the picture.
    pub title: String,
    /// Whose faces.
    pub who: Segment,
    /// Of subscribers, which tiers; empty for all.
    pub tiers: BTreeSet<u8>,
    /// Of those in chat, within how many minutes they said something.
    pub minutes: u32,
    /// Over which period followers, subscribers and supporters count.
    pub period: Period,
    /// Rows of the grid.
    pub rows: u32,
    /// Columns of the grid.
    pub columns: u32,
    /// Whether names stand under the faces.
    pub names: bool,
}

/// A part of those who watch.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Segment {
    /// Who followed, the newest first.
    Followers,
    /// Who subscribed or was given a subscription, the newest first.
    Subscribers,
    /// Who tipped, those who gave most first.
    Supporters,
    /// Who said something in chat, whoever did so last first.
    InChat,
    /// The owner and the helpers among those who said something in chat.
    Helpers,
}

/// What a wall shows.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct CrowdWallView {
    /// Its name.
    pub title: String,
    /// Row by row.
    pub faces: Vec<Face>,
    /// Rows of the grid.
    pub rows: u32,
    /// Columns of the grid.
    pub columns: u32,
    /// Whether names stand under the faces.
    pub names: bool,
}

/// One face.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Face {
    /// Whose it is. Where there is no picture, the face is drawn from it.
    pub name: String,
    /// Where their picture is, as an event told.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub picture: Option<String>,
}

impl CrowdWallView {
    /// The names.
    #[must_use]
    pub fn text(&self) -> String {
        self.faces.iter().map(|face| face.name.as_str()).collect::<Vec<_>>().join(", ")
    }
}

impl Segment {
    const ALL: [Self; 5] = [Self::InChat, Self::Followers, Self::Subscribers, Self::Supporters, Self::Helpers];

    fn key(self) -> &'static str {
        match self {
            Self::Followers => "followers",
            Self::Subscribers => "subscribers",
            Self::Supporters => "supporters",
            Self::InChat => "in_chat",
            Self::Helpers => "helpers",
        }
    }

    fn words(self) -> &'static str {
        match self {
            Self::Followers => "the newest followers",
            Self::Subscribers => "the newest subscribers",
            Self::Supporters => "those who tipped most",
            Self::InChat => "those who spoke in chat",
            Self::Helpers => "the helpers who spoke in chat",
        }
    }

    fn is_in_chat(self) -> bool {
        matches!(self, Self::InChat | Self::Helpers)
    }
}

impl CrowdWall {
    fn count(&self) -> Option<Count> {
        let measure = match self.who {
            Segment::Followers => Measure::CountOfFollows,
            Segment::Subscribers => Measure::CountOfSubs,
            Segment::Supporters => Measure::AmountOfTips,
            Segment::InChat | Segment::Helpers => return None,
        };
        let mut count = Count::of(measure, self.period);
        count.keep = Keep::People;
        if self.who == Segment::Subscribers {
            count.only.tiers.clone_from(&self.tiers);
        }
        Some(count)
    }

    fn room(&self) -> usize {
        self.rows.saturating_mul(self.columns) as usize
    }

    fn names(&self, scope: &Scope<'_>) -> Vec<String> {
        let Some(count) = self.count() else { return self.in_chat(scope) };
        if self.who == Segment::Supporters {
            return scope.ranking(&count, self.room()).into_iter().map(|one| scope.name(one.who)).collect();
        }
        scope.newest_people(&count, self.room()).into_iter().map(|who| scope.name(who)).collect()
    }

    fn in_chat(&self, scope: &Scope<'_>) -> Vec<String> {
        let since = before(scope.now, TimeDelta::minutes(i64::from(self.minutes)));
        let mut seen = BTreeSet::new();
        let lines = scope.chat.newest().map(|(_, _, line)| line).filter(|line| line.at > since);
        let people = lines.filter(|line| self.who == Segment::InChat || line.role >= Role::Helper);
        people
            .filter(|line| seen.insert(crate::language::text::fold(&line.name)))
            .take(self.room())
            .map(|line| line.name.clone())
            .collect()
    }

    fn of(&self, names: Vec<String>, scope: &Scope<'_>) -> View {
        let face = |name: String| Face { picture: scope.portraits.of(&name).map(str::to_owned), name };
        View::CrowdWall(CrowdWallView {
            title: self.title.clone(),
            faces: names.into_iter().map(face).collect(),
            rows: self.rows,
            columns: self.columns,
            names: self.names,
        })
    }
}

/// What its drawing has, in most of its shapes.
const PARTS: &[look::Part] = &[look::Part::Title, look::Part::Name, look::Part::Line];

impl Family for CrowdWall {
    type State = NoActs;
    const KEY: &'static str = "crowd_wall";
    const CUED: Cued = Cued::NOTHING;
    const SHAPES: &'static [Shape] = &[
        Shape {
            key: "windows",
            words: "Carriage windows",
            tokens: &[TITLED, TEXT, PLATE, LINES],
            parts: PARTS,
            size: (640, 400),
        },
        Shape { key: "medals", words: "Medals", tokens: &[TITLED, TEXT, LINES, EDGE], parts: PARTS, size: (640, 400) },
        Shape {
            key: "bunting",
            words: "Bunting",
            tokens: &[TITLED, TEXT, LINES, EDGE],
            parts: PARTS,
            size: (900, 320),
        },
    ];

    fn standard(_: &Settings) -> Self {
        Self {
            title: "Who is here".into(),
            who: Segment::InChat,
            tiers: BTreeSet::new(),
            minutes: 15,
            period: Period::ThisMonth,
            rows: 2,
            columns: 5,
            names: true,
        }
    }

    fn title(&self) -> &str {
        &self.title
    }

    fn counts(&self, _: &NoActs, _: &Settings) -> Vec<Count> {
        self.count().into_iter().collect()
    }

    fn follows_chat(&self) -> bool {
        self.who.is_in_chat()
    }

    fn sentence(&self, scope: &Scope<'_>) -> Vec<Part> {
        let _ = scope;
        let number = |value: u32| Editor::Number { value: value.to_string(), sign: String::new() };
        let who = Editor::choice(Segment::ALL.map(|one| (one.key(), one.words())), self.who.key());
        let mut parts = vec![
            Part::field("title", TITLE, self.title.as_str(), Editor::Text { value: self.title.clone() }),
            Part::words("shows the faces of"),
            Part::field("who", WHO, self.who.words(), who),
        ];
        if self.who == Segment::Subscribers {
            let option = |tier: u8| (tier.to_string(), format!("tier {tier}"), self.tiers.contains(&tier));
            let shown: Vec<String> = self.tiers.iter().map(u8::to_string).collect();
            let shown = if shown.is_empty() { "any tier".to_owned() } else { format!("tier {}", shown.join(" and ")) };
            parts.push(Part::words("of"));
            parts.push(Part::field("tiers", TIERS, shown, Editor::Several { options: (1..=3).map(option).collect() }));
        }
        if self.who.is_in_chat() {
            parts.push(Part::words("within the last"));
            parts.push(Part::field("minutes", MINUTES, self.minutes.to_string(), number(self.minutes)));
            parts.push(Part::words("minutes"));
        } else {
            parts.push(Part::words(", from"));
            parts.extend(counting::period(self.period));
        }
        let (key, words) = WITH[usize::from(!self.names)];
        parts.extend([
            Part::words(", in"),
            Part::field("rows", ROWS, self.rows.to_string(), number(self.rows)),
            Part::words("rows of"),
            Part::field("columns", COLUMNS, self.columns.to_string(), number(self.columns)),
            Part::words(","),
            Part::field("names", NAMES, words, Editor::choice(WITH, key)),
        ]);
        parts
    }

    fn edit(&mut self, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
        let count = |label, most| -> Result<u32, EditError> {
            Ok(u32::try_from(input(label, text).whole(1, most)?).unwrap_or(1))
        };
        match key {
            "title" => self.title = input(TITLE, text).title()?,
            "who" => self.who = input(WHO, text).choice(&Segment::ALL, Segment::key)?,
            "tiers" => {
                let tiers: Option<BTreeSet<u8>> = text
                    .split(',')
                    .map(str::trim)
                    .filter(|part| !part.is_empty())
                    .map(|part| part.parse().ok().filter(|tier| (1..=3).contains(tier)))
                    .collect();
                self.tiers = tiers.ok_or_else(|| input(TIERS, text).refuse("must be some of 1, 2 and 3"))?;
            }
            "minutes" => self.minutes = count(MINUTES, 24 * 60)?,
            "rows" => self.rows = count(ROWS, 10)?,
            "columns" => self.columns = count(COLUMNS, 20)?,
            "names" => self.names = input(NAMES, text).choice(&["with", "without"], |key| key)? == "with",
            _ => {
                if !counting::edit_period(&mut self.period, key, text, scope)? {
                    return Err(no_such_part(key));
                }
            }
        }
        Ok(())
    }

    fn view(&self, _: &NoActs, scope: &Scope<'_>) -> View {
        self.of(self.names(scope), scope)
    }

    fn sample(&self, scope: &Scope<'_>) -> View {
        let names = SAMPLE_NAMES.iter().map(|name| (*name).to_owned());
        self.of(names.take(self.room()).collect(), scope)
    }

    fn wakes_at(&self, _: &NoActs, scope: &Scope<'_>) -> Option<Instant> {
        match self.count() {
            Some(count) => scope.wakes_at(&count),
            None => {
                let minutes = TimeDelta::minutes(i64::from(self.minutes));
                let leaves = scope.chat.newest().map(|(_, _, line)| after(line.at, minutes));
                leaves.filter(|at| *at > scope.now).min()
            }
        }
    }

    fn explain(&self, _: &NoActs, scope: &Scope<'_>) -> Slip {
        let shown = format!("{} faces", self.names(scope).len());
        match self.count() {
            Some(count) => of_several(&[count], shown, scope),
            None => Slip {
                terms: vec![("Lines of chat at hand".into(), scope.chat.newest().count().to_string())],
                shown,
                span: format!("Whoever spoke within {} minutes; chat is heard, not recorded", self.minutes),
                lines: Vec::new(),
            },
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::book::chat::ChatLine;
    use crate::fixtures::{World, entry, settings};
    use crate::record::entry::Body;
    use crate::record::happening::{Actor, Happening, Tier};
    use crate::record::ids::FeedId;

    fn begin() -> Instant {
        "2026-11-24T19:00:00Z".parse().unwrap()
    }

    fn text(wall: &CrowdWall, world: &World) -> String {
        wall.view(&NoActs {}, &world.scope(begin() + TimeDelta::minutes(20))).text()
    }

    fn edited(edits: &[(&str, &str)]) -> CrowdWall {
        let (world, mut wall) = (World::new(), CrowdWall::standard(&settings()));
        for (key, text) in edits {
            wall.edit(key, text, &world.scope(begin())).unwrap();
        }
        wall
    }

    #[test]
    fn those_who_spoke_of_late_stand_once_each_the_last_first() {
        let mut world = World::new();
        for (minute, name, role) in [
            (1, "dusty_bogie", Role::Viewer),
            (6, "odile", Role::Owner),
            (7, "ninepins", Role::Viewer),
            (8, "Ninepins", Role::Viewer),
            (9, "bram", Role::Helper),
        ] {
            let at = begin() + TimeDelta::minutes(minute);
            world.hear(
                FeedId(1),
                ChatLine {
                    at,
                    name: name.into(),
                    id: None,
                    role,
                    subscriber: role == Role::Subscriber,
                    text: "choo".into(),
                },
            );
        }
        assert_eq!(text(&edited(&[]), &world), "bram, Ninepins, odile");
        assert_eq!(text(&edited(&[("minutes", "30"), ("rows", "1"), ("columns", "2")]), &world), "bram, Ninepins");
        assert_eq!(text(&edited(&[("who", "helpers")]), &world), "bram, odile");
        let wakes = edited(&[]).wakes_at(&NoActs {}, &world.scope(begin() + TimeDelta::minutes(20)));
        assert_eq!(wakes, Some(begin() + TimeDelta::minutes(21)), "odile's line is 15 minutes old then");
    }

    #[test]
    fn followers_subscribers_and_supporters_come_from_the_record() {
        let actor = |name: &str| Actor { id: None, name: name.into(), avatar: None, anonymous: name.is_empty() };
        let sub = |name: &str, tier: u8| Happening::Sub {
            actor: actor(name),
            tier: Tier::try_from(tier).unwrap(),
            months: None,
            message: None,
            gifted_by: None,
        };
        let follow = |name: &str| Happening::Follow { actor: actor(name) };
        let pictured = Actor { avatar: Some("https://pictures.example/7.png".into()), ..actor("kestrel_oak") };
        let all = [
            Happening::Follow { actor: pictured },
            follow("ninepins"),
            follow("quietferry"),
            follow("ninepins"),
            sub("oatcake_jo", 1),
            sub("kestrel_oak", 3),
            follow(""),
        ];
        let entries: Vec<_> = (1..).zip(all).map(|(seq, one)| entry(seq, begin(), Body::Happening(one))).collect();
        let world = World::after(&entries);
        assert_eq!(text(&edited(&[("who", "followers")]), &world), "ninepins, quietferry, kestrel_oak");
        let View::CrowdWall(wall) = edited(&[("who", "subscribers")]).view(&NoActs {}, &world.scope(begin())) else {
            panic!("a wall shows a wall");
        };
        let pictures: Vec<_> = wall.faces.iter().map(|face| face.picture.as_deref()).collect();
        assert_eq!(pictures, [Some("https://pictures.example/7.png"), None], "a drawn face where there is no picture");
        assert_eq!(text(&edited(&[("who", "subscribers")]), &world), "kestrel_oak, oatcake_jo");
        assert_eq!(text(&edited(&[("who", "subscribers"), ("tiers", "2, 3")]), &world), "kestrel_oak");
        assert_eq!(text(&edited(&[("who", "supporters")]), &world), "");
        assert!(CrowdWall::standard(&settings()).edit("tiers", "4", &world.scope(begin())).is_err());
    }
}
