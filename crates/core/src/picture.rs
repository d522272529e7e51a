//! Pictures from data: a line figure is a handful of joint angles, a plan a handful of points in metres. Nothing is drawn by
//! hand, and a screen only puts the strokes down.

use std::{collections::BTreeMap, f64::consts::PI, sync::LazyLock};

use serde::{Deserialize, Serialize};

use crate::{
    conditions::Chosen,
    error::{Code, InputError},
};

/// What is shown of a test, beside a sentence.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Picture {
    /// What it shows.
    pub caption: String,
    /// A pose of `data/figures/`.
    pub pose: Option<String>,
    /// Another pose behind it, faint: where it comes from.
    pub from: Option<String>,
    /// What stands beside it.
    #[serde(default)]
    pub props: Vec<String>,
    /// Only where the test is done so.
    #[serde(default)]
    pub when: Option<Chosen>,
    /// The reading it shows, where the test takes several that look different.
    #[serde(default)]
    pub input: Option<String>,
    /// It shows what does not count or ends the test.
    #[serde(default)]
    pub wrong: bool,
    /// A course instead of a pose.
    pub plan: Option<Plan>,
}

/// A course seen from above, in metres.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Plan {
    /// Cones or marks.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(value_type = Vec<Vec<f64>>))]
    pub cones: Vec<(f64, f64)>,
    /// The way, with an arrow at its end.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(value_type = Vec<Vec<f64>>))]
    pub path: Vec<(f64, f64)>,
    /// A loop of this length and width, instead of a way.
    #[cfg_attr(feature = "schema", schema(value_type = Option<Vec<f64>>))]
    pub oval: Option<(f64, f64)>,
    /// Lines on the ground.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(value_type = Vec<Vec<Vec<f64>>>))]
    pub lines: Vec<Vec<(f64, f64)>>,
    /// Words with their places.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(value_type = Vec<Vec<serde_json::Value>>))]
    pub labels: Vec<(String, f64, f64)>,
}

/// What a stroke is part of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Part {
    /// The figure.
    Body,
    /// The pose it comes from.
    Ghost,
    /// What ends the test or does not count.
    Wrong,
    /// The floor, and what stands on it.
    Prop,
    /// The way round a course.
    Path,
}

/// A line through points, or a dot where there is one point alone.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Stroke {
    pub part: Part,
    /// In the drawing's own units, y down.
    #[cfg_attr(feature = "schema", schema(value_type = Vec<Vec<f64>>))]
    pub points: Vec<(f64, f64)>,
    /// How thick; for one point alone, its diameter.
    pub width: f64,
}

/// A picture ready to be put down, [`WIDTH`] by [`HEIGHT`].
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Drawing {
    /// What it shows.
    pub caption: String,
    /// Whether it shows what does not count.
    pub wrong: bool,
    /// Only where the test is done so.
    pub when: Option<Chosen>,
    /// The reading it shows; the whole test where nothing is said.
    #[serde(default)]
    pub input: Option<String>,
    /// From back to front.
    pub strokes: Vec<Stroke>,
    /// Cones of a plan.
    #[cfg_attr(feature = "schema", schema(value_type = Vec<Vec<f64>>))]
    pub cones: Vec<(f64, f64)>,
    /// Words of a plan.
    pub labels: Vec<Word>,
}

/// A word on a plan.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Word {
    /// What it says.
    pub text: String,
    /// Its middle.
    pub x: f64,
    /// Its foot.
    pub y: f64,
}

/// A drawing's width in its own units.
pub const WIDTH: f64 = 300.0;
/// A drawing's height.
pub const HEIGHT: f64 = 150.0;
const FLOOR: f64 = 138.0;
/// A person's height, at the most.
const PERSON: f64 = 122.0;

/// Joint angles, degrees.
#[derive(Debug, Clone, Copy, Deserialize)]
#[serde(deny_unknown_fields)]
struct Pose {
    trunk: f64,
    head: Option<f64>,
    arm: f64,
    fore: f64,
    thigh: f64,
    shank: f64,
    foot: f64,
    far_arm: Option<f64>,
    far_fore: Option<f64>,
    far_thigh: Option<f64>,
    far_shank: Option<f64>,
    far_foot: Option<f64>,
    #[serde(default)]
    lift: f64,
}

/// What stands beside a figure, in parts of its height.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
struct Prop {
    at: Option<Joint>,
    #[serde(default)]
    lines: Vec<Vec<(f64, f64)>>,
    #[serde(default)]
    circles: Vec<(f64, f64, f64)>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "snake_case")]
enum Joint {
    Shoulder,
    Hand,
    Toe,
}

#[derive(Default, Deserialize)]
#[serde(default, deny_unknown_fields)]
struct Data {
    poses: BTreeMap<String, Pose>,
    props: BTreeMap<String, Prop>,
}

// The TOML of every file of figures, as the build found it: `FIGURE_FILES`.
include!(concat!(env!("OUT_DIR"), "/figures.rs"));

static DATA: LazyLock<Data> = LazyLock::new(|| {
    // A test holds each file together; a fault leaves its pictures out, never a page.
    FIGURE_FILES.iter().filter_map(|text| toml::from_str::<Data>(text).ok()).fold(Data::default(), |mut all, one| {
        all.poses.extend(one.poses);
        all.props.extend(one.props);
        all
    })
});

/// A place on a drawing, y down, or on a figure, y up.
pub type Point = (f64, f64);

/// Lengths as parts of the height. Source: common proportions of the body, rounded for a line figure.
mod length {
    pub(super) const TRUNK: f64 = 0.30;
    pub(super) const HEAD: f64 = 0.13;
    pub(super) const ARM: f64 = 0.17;
    pub(super) const FORE: f64 = 0.20;
    pub(super) const THIGH: f64 = 0.245;
    pub(super) const SHANK: f64 = 0.246;
    pub(super) const FOOT: f64 = 0.11;
    pub(super) const SKULL: f64 = 0.078;
}

fn along((x, y): Point, length: f64, degrees: f64) -> Point {
    (x + length * (degrees * PI / 180.0).cos(), y + length * (degrees * PI / 180.0).sin())
}

/// A posed figure, hip at x 0, its lowest point `lift` above the floor.
struct Figure {
    limbs: Vec<Vec<Point>>,
    head: Point,
    shoulder: Point,
    hand: Point,
    toe: Point,
}

impl Figure {
    fn of(pose: &Pose) -> Self {
        let hip = (0.0, 0.0);
        let shoulder = along(hip, length::TRUNK, pose.trunk);
        let head = along(shoulder, length::HEAD, pose.head.unwrap_or(pose.trunk));
        let arm = |a: f64, f: f64| {
            let elbow = along(shoulder, length::ARM, a);
            vec![shoulder, elbow, along(elbow, length::FORE, f)]
        };
        let leg = |t: f64, s: f64, f: f64| {
            let knee = along(hip, length::THIGH, t);
            let ankle = along(knee, length::SHANK, s);
            vec![hip, knee, ankle, along(ankle, length::FOOT, f)]
        };
        let mut limbs = Vec::new();
        if let (Some(t), Some(s)) = (pose.far_thigh, pose.far_shank) {
            limbs.push(leg(t, s, pose.far_foot.unwrap_or(pose.foot)));
        }
        if let (Some(a), Some(f)) = (pose.far_arm, pose.far_fore) {
            limbs.push(arm(a, f));
        }
        let (near_leg, near_arm) = (leg(pose.thigh, pose.shank, pose.foot), arm(pose.arm, pose.fore));
        let (toe, hand) = (near_leg[3], near_arm[2]);
        limbs.extend([vec![shoulder, hip], near_leg, near_arm]);
        let lowest = limbs.iter().flatten().map(|p| p.1).fold(head.1 - length::SKULL / 1.5, f64::min);
        let up = |(x, y): Point| (x, y - lowest + pose.lift);
        Self {
            limbs: limbs.into_iter().map(|limb| limb.into_iter().map(up).collect()).collect(),
            head: up(head),
            shoulder: up(shoulder),
            hand: up(hand),
            toe: up(toe),
        }
    }

    fn points(&self) -> impl Iterator<Item = Point> + '_ {
        let around = [(0.0, 0.06), (0.06, 0.0), (-0.06, 0.0)];
        self.limbs.iter().flatten().copied().chain(around.map(|(x, y)| (self.head.0 + x, self.head.1 + y)))
    }
}

impl Picture {
    /// Whether everything it names is there.
    ///
    /// # Errors
    /// [`Code::UnknownField`] for a pose or a prop that nobody knows, and for a picture of nothing.
    pub fn check(&self) -> Result<(), InputError> {
        let unknown = |what: &str| Err(InputError::new(Code::UnknownField, "pictures", format!("There is no picture of “{what}”.")));
        if let Some(pose) = self.pose.iter().chain(&self.from).find(|name| !DATA.poses.contains_key(*name)) {
            return unknown(pose);
        }
        if let Some(prop) = self.props.iter().find(|name| !DATA.props.contains_key(*name)) {
            return unknown(prop);
        }
        if self.pose.is_some() == self.plan.is_some() { unknown(&self.caption) } else { Ok(()) }
    }

    /// The strokes of it.
    pub fn drawing(&self) -> Drawing {
        let mut drawing = Drawing {
            caption: self.caption.clone(),
            wrong: self.wrong,
            when: self.when.clone(),
            input: self.input.clone(),
            ..Drawing::default()
        };
        if let Some(plan) = &self.plan {
            draw_plan(plan, &mut drawing);
        } else if let Some(pose) = self.pose.as_ref().and_then(|name| DATA.poses.get(name)) {
            self.draw_pose(pose, &mut drawing);
        }
        drawing
    }

    fn draw_pose(&self, pose: &Pose, drawing: &mut Drawing) {
        let figure = Figure::of(pose);
        let ghost = self.from.as_ref().and_then(|name| DATA.poses.get(name)).map(Figure::of);
        let props: Vec<&Prop> = self.props.iter().filter_map(|name| DATA.props.get(name)).collect();
        let anchor = |prop: &Prop| match prop.at {
            Some(Joint::Shoulder) => figure.shoulder,
            Some(Joint::Hand) => figure.hand,
            Some(Joint::Toe) => (figure.toe.0, 0.0),
            None => (0.0, 0.0),
        };
        let moved = |(x, y): Point, by: Point| (x + by.0, y + by.1);
        let standing: Vec<Point> = props.iter().flat_map(|p| p.lines.iter().flatten().map(|q| moved(*q, anchor(p)))).collect();
        let all: Vec<Point> = figure.points().chain(ghost.iter().flat_map(Figure::points)).chain(standing).collect();
        let (low, high) = span(all.iter().map(|p| p.0));
        let top = all.iter().map(|p| p.1).fold(0.0, f64::max);
        let scale = PERSON.min((FLOOR - 8.0) / top).min((WIDTH - 24.0) / (high - low));
        let at = |(x, y): Point| (round(WIDTH / 2.0 + (x - f64::midpoint(low, high)) * scale), round(FLOOR - 4.0 - y * scale));
        let mut put = |part: Part, points: Vec<Point>, width: f64| drawing.strokes.push(Stroke { part, points, width: round(width) });
        put(Part::Prop, vec![(10.0, FLOOR), (WIDTH - 10.0, FLOOR)], 2.0);
        for prop in &props {
            for line in &prop.lines {
                put(Part::Prop, line.iter().map(|p| at(moved(*p, anchor(prop)))).collect(), 5.0);
            }
            for (x, y, r) in &prop.circles {
                let round_it = |k: i32| along(moved((*x, *y), anchor(prop)), *r, f64::from(k) * 20.0);
                put(Part::Prop, (0..=18).map(|k| at(round_it(k))).collect(), 4.0);
            }
        }
        let body = if self.wrong { Part::Wrong } else { Part::Body };
        for (figure, part) in ghost.iter().map(|g| (g, Part::Ghost)).chain([(&figure, body)]) {
            for limb in &figure.limbs {
                let width = if limb.len() == 3 { 0.053 } else { 0.074 } * scale;
                put(part, limb.iter().map(|p| at(*p)).collect(), width);
            }
            put(part, vec![at(figure.head)], 2.0 * length::SKULL * scale);
        }
    }
}

/// Where on the body a reading is taken.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Site {
    /// The part.
    pub on: BodyPart,
    /// How far along it, from 0 at its upper end to 1.
    pub at: f64,
    /// How the tape lies.
    pub how: String,
}

/// A part of the body that a tape goes around.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum BodyPart {
    /// Between head and shoulders.
    Neck,
    /// From the shoulders to the hips.
    Trunk,
    /// From the shoulder to the elbow.
    UpperArm,
    /// From the hip to the knee.
    Thigh,
    /// From the knee to the ankle.
    Calf,
}

/// A body from the front, with where each girth is taken, [`MAP_WIDTH`] by [`MAP_HEIGHT`].
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct BodyMap {
    /// The figure.
    pub strokes: Vec<Stroke>,
    /// Where the tape goes.
    pub tapes: Vec<Tape>,
}

/// A tape on the body map.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Tape {
    pub input: String,
    /// The side, where it is taken on two: as the client sees it.
    pub side: Option<String>,
    /// What it is called.
    pub label: String,
    /// How it lies.
    pub how: String,
    /// From where to where.
    #[cfg_attr(feature = "schema", schema(value_type = Vec<Vec<f64>>))]
    pub line: [Point; 2],
}

/// A body map's width in its own units.
pub const MAP_WIDTH: f64 = 320.0;
/// A body map's height.
pub const MAP_HEIGHT: f64 = 330.0;

/// What is taken at a site: its key, what it is called, its sides.
pub type Taken<'a> = (&'a str, &'a str, &'a [String]);

/// Half the distance of the shoulder joints and of the hip joints, as parts of the height. Source: common proportions, rounded.
const SHOULDERS: f64 = 0.095;
const HIPS: f64 = 0.045;

/// The body map of what is taken at sites; nothing where there is none.
pub fn body_map<'a>(sites: impl Iterator<Item = (Taken<'a>, &'a Site)>) -> Option<BodyMap> {
    let figure = Figure::of(DATA.poses.get("front")?);
    let scale = (MAP_HEIGHT - 24.0) / figure.points().map(|p| p.1).fold(0.0, f64::max);
    let at = |(x, y): Point| (round(MAP_WIDTH / 2.0 + x * scale), round(MAP_HEIGHT - 12.0 - y * scale));
    // As `Figure` puts them: the far leg, the far arm, the trunk, the near leg, the near arm. From the front a body has a width.
    let [far_leg, far_arm, trunk, leg, arm] = figure.limbs.as_slice() else { return None };
    let aside = |limb: &[Point], by: f64| -> Vec<Point> { limb.iter().map(|(x, y)| (x + by, *y)).collect() };
    let (far_leg, leg) = (aside(far_leg, -HIPS), aside(leg, HIPS));
    let (far_arm, arm) = (aside(far_arm, -SHOULDERS), aside(arm, SHOULDERS));
    // The near limbs are drawn on the right: seen from the front that is the client's left.
    let bone = |part: BodyPart, side: Option<&str>| -> (Point, Point, f64) {
        let (leg, arm) = if side == Some("left") { (&leg, &arm) } else { (&far_leg, &far_arm) };
        match part {
            BodyPart::Neck => (figure.head, figure.shoulder, 0.03),
            BodyPart::Trunk => (trunk[0], trunk[1], 0.085),
            BodyPart::UpperArm => (arm[0], arm[1], 0.04),
            BodyPart::Thigh => (leg[0], leg[1], 0.05),
            BodyPart::Calf => (leg[1], leg[2], 0.04),
        }
    };
    let mut tapes = Vec::new();
    for ((input, label, sides), site) in sites {
        let sides = if sides.is_empty() { vec![None] } else { sides.iter().cloned().map(Some).collect() };
        for side in sides {
            let (from, to, half) = bone(site.on, side.as_deref());
            let middle = (from.0 + (to.0 - from.0) * site.at, from.1 + (to.1 - from.1) * site.at);
            let length = (to.0 - from.0).hypot(to.1 - from.1).max(1e-9);
            let across = (-(to.1 - from.1) / length * half, (to.0 - from.0) / length * half);
            let line = [at((middle.0 - across.0, middle.1 - across.1)), at((middle.0 + across.0, middle.1 + across.1))];
            tapes.push(Tape { input: input.to_owned(), side, label: label.to_owned(), how: site.how.clone(), line });
        }
    }
    let stroke = |limb: &[Point], width: f64| Stroke {
        part: Part::Ghost,
        points: limb.iter().map(|p| at(*p)).collect(),
        width: round(width * scale),
    };
    let neck = [figure.head, figure.shoulder];
    let limbs = [
        stroke(&far_leg, 0.07),
        stroke(&leg, 0.07),
        stroke(&far_arm, 0.045),
        stroke(&arm, 0.045),
        stroke(trunk, 0.15),
        stroke(&neck, 0.05),
    ];
    let head = Stroke { part: Part::Ghost, points: vec![at(figure.head)], width: round(2.0 * length::SKULL * scale) };
    (!tapes.is_empty()).then(|| BodyMap { strokes: limbs.into_iter().chain([head]).collect(), tapes })
}

fn draw_plan(plan: &Plan, drawing: &mut Drawing) {
    let loop_points = plan.oval.map(|(length, width)| oval(length, width)).unwrap_or_default();
    let all: Vec<Point> = plan.cones.iter().chain(&plan.path).chain(plan.lines.iter().flatten()).chain(&loop_points).copied().collect();
    let (left, right) = span(all.iter().map(|p| p.0));
    let (low, high) = span(all.iter().map(|p| p.1));
    let scale = ((WIDTH - 70.0) / (right - left).max(0.1)).min((HEIGHT - 56.0) / (high - low).max(0.1));
    let middle = (f64::midpoint(left, right), f64::midpoint(low, high));
    let at = |p: &Point| (round(WIDTH / 2.0 + (p.0 - middle.0) * scale), round(HEIGHT / 2.0 - (p.1 - middle.1) * scale));
    for line in &plan.lines {
        drawing.strokes.push(Stroke { part: Part::Prop, points: line.iter().map(at).collect(), width: 3.0 });
    }
    for way in [&loop_points, &plan.path].into_iter().filter(|way| !way.is_empty()) {
        drawing.strokes.push(Stroke { part: Part::Path, points: way.iter().map(at).collect(), width: 3.0 });
    }
    drawing.cones = plan.cones.iter().map(at).collect();
    drawing.labels = plan.labels.iter().map(|(text, x, y)| Word { text: text.clone(), x: at(&(*x, *y)).0, y: at(&(*x, *y)).1 }).collect();
}

/// A running track of this length and width, as points.
fn oval(length: f64, width: f64) -> Vec<Point> {
    let (radius, straight) = (width / 2.0, (length - width).max(0.0) / 2.0);
    let half = |middle: f64, from: f64| (0..=12).map(move |k| along((middle, 0.0), radius, from + f64::from(k) * 15.0));
    half(straight, -90.0).chain(half(-straight, 90.0)).chain([(straight, -radius)]).collect()
}

fn span(values: impl Iterator<Item = f64>) -> (f64, f64) {
    values.fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), v| (low.min(v), high.max(v)))
}

fn round(v: f64) -> f64 {
    (v * 10.0).round() / 10.0
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::catalogue;

    #[test]
    fn every_test_has_a_picture_that_fits_its_frame() {
        let files: Vec<Data> = FIGURE_FILES.iter().map(|text| toml::from_str(text).unwrap()).collect();
        let each = (files.iter().map(|f| f.poses.len()).sum::<usize>(), files.iter().map(|f| f.props.len()).sum());
        assert_eq!(each, (DATA.poses.len(), DATA.props.len()), "a name stands in two files");
        assert!(DATA.poses.len() > 40);
        for protocol in catalogue::all() {
            assert!(!protocol.pictures.is_empty(), "{} has no picture", protocol.id);
            for picture in &protocol.pictures {
                picture.check().unwrap();
                let drawing = picture.drawing();
                let inside = |(x, y): &Point| (0.0..=WIDTH).contains(x) && (0.0..=HEIGHT).contains(y);
                let points = drawing.strokes.iter().flat_map(|s| &s.points).chain(&drawing.cones);
                let outside: Vec<_> = points.filter(|p| !inside(p)).collect();
                assert!(outside.is_empty(), "{}, “{}”: {outside:?}", protocol.id, picture.caption);
            }
        }
    }

    #[test]
    fn the_body_map_has_a_tape_for_every_site_and_each_side_on_its_own_limb() {
        let protocol = catalogue::all().iter().find(|p| p.inputs.iter().any(|i| i.site.is_some())).unwrap();
        let map = protocol.body_map().unwrap();
        let wanted: usize = protocol.inputs.iter().filter(|i| i.site.is_some()).map(|i| i.sides.len().max(1)).sum();
        assert_eq!(map.tapes.len(), wanted);
        for tape in &map.tapes {
            let middle = f64::midpoint(tape.line[0].0, tape.line[1].0);
            match tape.side.as_deref() {
                // Seen from the front, the client’s left is on the right.
                Some("left") => assert!(middle > MAP_WIDTH / 2.0, "{tape:?}"),
                Some(_) => assert!(middle < MAP_WIDTH / 2.0, "{tape:?}"),
                None => assert!((middle - MAP_WIDTH / 2.0).abs() < 1.0, "{tape:?}"),
            }
        }
        assert!(catalogue::find("plank").unwrap().body_map().is_none());
    }

    #[test]
    fn a_standing_figure_is_as_tall_as_its_parts() {
        let pose = DATA.poses["stand"];
        let figure = Figure::of(&pose);
        let legs = length::THIGH + length::SHANK;
        assert!((figure.shoulder.1 - (legs + length::TRUNK)).abs() < 1e-9);
        assert_eq!(figure.toe.1, 0.0);
    }

    #[test]
    fn a_plan_is_to_scale() {
        let plan = Plan { cones: vec![(0.0, 0.0), (20.0, 0.0), (0.0, 5.0)], ..Plan::default() };
        let picture = Picture {
            caption: String::new(),
            pose: None,
            from: None,
            props: Vec::new(),
            when: None,
            input: None,
            wrong: false,
            plan: Some(plan),
        };
        let [a, b, c] = picture.drawing().cones[..] else { panic!("three cones") };
        assert!(((b.0 - a.0) / (a.1 - c.1) - 4.0).abs() < 0.02);
    }

    #[test]
    fn what_nobody_knows_is_refused() {
        let picture = Picture {
            caption: "x".into(),
            pose: Some("moon".into()),
            from: None,
            props: Vec::new(),
            when: None,
            input: None,
            wrong: false,
            plan: None,
        };
        assert_eq!(picture.check().unwrap_err().code, Code::UnknownField);
    }
}
