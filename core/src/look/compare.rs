//! What two paths differ in, step by step.

use super::{Group, Path, Step};
use crate::step::Zone;
use schemars::JsonSchema;
use serde::Serialize;
use serde_json::{Value, json};

/// What a difference is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum What {
    /// Only the second path has it.
    Added,
    /// Only the first path has it.
    Removed,
    /// It stands in another order among those that both have.
    Moved,
    /// Its name.
    Name,
    /// Its switch.
    On,
    /// Its strength.
    Strength,
    /// Where it works.
    Region,
    /// The group it belongs to.
    Group,
    /// One of its values.
    Value,
}

/// One difference of a step or a group.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Difference {
    /// The id, in the second path where it has it.
    pub id: String,
    /// The name, likewise.
    pub name: String,
    /// The kind of step; empty for a group.
    pub kind: String,
    /// The zone; none for a group.
    pub zone: Option<Zone>,
    /// What differs.
    pub what: What,
    /// The field's id where a value differs.
    pub field: String,
    /// The field's title where a value differs.
    pub title: String,
    /// What it was.
    pub before: Value,
    /// What it became.
    pub after: Value,
}

/// The differences from one path to another, in the order of the second; what was removed comes last.
///
/// Steps are the same where they share an id and a kind, or else a name and a kind.
pub fn compare(a: &Path, b: &Path) -> Vec<Difference> {
    let mut out = Vec::new();
    let partners: Vec<Option<usize>> = {
        let mut taken = vec![false; a.steps.len()];
        let mut find = |s: &Step, same: &dyn Fn(&Step, &Step) -> bool| {
            let at = a.steps.iter().enumerate().position(|(i, o)| !taken[i] && alike(o, s) && same(o, s))?;
            taken[at] = true;
            Some(at)
        };
        let by_id: Vec<_> = b.steps.iter().map(|s| find(s, &|o, s| o.id == s.id)).collect();
        let by_name =
            |(s, found): (&Step, Option<usize>)| found.or_else(|| find(s, &|o, s| o.name == s.name));
        b.steps.iter().zip(by_id).map(by_name).collect()
    };
    let moved = out_of_order(&partners);
    for ((step, partner), moved) in b.steps.iter().zip(&partners).zip(moved) {
        let note = note_of_step(step);
        match partner {
            None => out.push(note(What::Added, Value::Null, Value::Null)),
            Some(i) => {
                if moved {
                    out.push(note(What::Moved, Value::Null, Value::Null));
                }
                steps_differ(&a.steps[*i], step, (a, b), &mut out);
            }
        }
    }
    for (_, step) in a.steps.iter().enumerate().filter(|(i, _)| !partners.contains(&Some(*i))) {
        out.push(note_of_step(step)(What::Removed, Value::Null, Value::Null));
    }
    groups_differ(a, b, &mut out);
    out
}

fn alike(a: &Step, b: &Step) -> bool {
    a.zone == b.zone && a.values.info().kind == b.values.info().kind
}

fn note_of_step(step: &Step) -> impl Fn(What, Value, Value) -> Difference {
    let (id, name, zone) = (step.id.clone(), step.name.clone(), Some(step.zone));
    let kind = step.values.info().kind.to_owned();
    move |what, before, after| Difference {
        id: id.clone(),
        name: name.clone(),
        kind: kind.clone(),
        zone,
        what,
        field: String::new(),
        title: String::new(),
        before,
        after,
    }
}

/// Which of the steps with a partner are out of order: those outside of the longest run of rising places.
fn out_of_order(partners: &[Option<usize>]) -> Vec<bool> {
    let places: Vec<usize> = partners.iter().flatten().copied().collect();
    let n = places.len();
    let (mut length, mut from) = (vec![1_usize; n], vec![None; n]);
    for i in 0..n {
        for j in 0..i {
            if places[j] < places[i] && length[j] + 1 > length[i] {
                (length[i], from[i]) = (length[j] + 1, Some(j));
            }
        }
    }
    let mut kept = vec![false; n];
    let mut at = (0..n).max_by_key(|i| length[*i]);
    while let Some(i) = at {
        kept[i] = true;
        at = from[i];
    }
    let mut kept = kept.into_iter();
    partners.iter().map(|p| p.is_some() && kept.next() == Some(false)).collect()
}

fn steps_differ(a: &Step, b: &Step, (of_a, of_b): (&Path, &Path), out: &mut Vec<Difference>) {
    let note = note_of_step(b);
    let mut unlike = |what: What, before: Value, after: Value| {
        if before != after {
            out.push(note(what, before, after));
        }
    };
    unlike(What::Name, json!(a.name), json!(b.name));
    unlike(What::On, json!(a.on), json!(b.on));
    unlike(What::Strength, json!(a.strength), json!(b.strength));
    unlike(What::Region, json!(a.region), json!(b.region));
    let group = |path: &Path, step: &Step| json!(path.group_of(step).map(|g| g.name.clone()));
    unlike(What::Group, group(of_a, a), group(of_b, b));
    let (before, after) = (json!(a.values), json!(b.values));
    for field in b.values.info().fields {
        let (before, after) = (before["values"][field.id].clone(), after["values"][field.id].clone());
        if before != after {
            out.push(Difference {
                field: field.id.into(),
                title: field.title.into(),
                ..note(What::Value, before, after)
            });
        }
    }
}

fn groups_differ(a: &Path, b: &Path, out: &mut Vec<Difference>) {
    let note = |g: &Group, what: What, before: Value, after: Value| Difference {
        id: g.id.clone(),
        name: g.name.clone(),
        kind: String::new(),
        zone: None,
        what,
        field: String::new(),
        title: String::new(),
        before,
        after,
    };
    for group in &b.groups {
        let Some(was) = a.group(&group.id) else {
            out.push(note(group, What::Added, Value::Null, Value::Null));
            continue;
        };
        let all = [
            (What::Name, json!(was.name), json!(group.name)),
            (What::On, json!(was.on), json!(group.on)),
            (What::Strength, json!(was.strength), json!(group.strength)),
            (What::Region, json!(was.region), json!(group.region)),
        ];
        out.extend(all.into_iter().filter(|(_, x, y)| x != y).map(|(what, x, y)| note(group, what, x, y)));
    }
    let gone = a.groups.iter().filter(|g| b.group(&g.id).is_none());
    out.extend(gone.map(|g| note(g, What::Removed, Value::Null, Value::Null)));
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::look::Look;

    fn path() -> Path {
        Look::from_json(include_str!("../../tests/looks/version-2.json")).unwrap().path
    }

    #[test]
    fn a_path_does_not_differ_from_itself() {
        assert_eq!(compare(&path(), &path()), []);
    }

    #[test]
    fn a_changed_value_a_switch_a_new_and_a_removed_step_are_each_said_once() {
        let (a, mut b) = (path(), path());
        let json = serde_json::json!({ "kind": "balance", "values": { "exposure": 1.5 } });
        b.steps[0].values = serde_json::from_value(json).unwrap();
        b.steps[1].on = false;
        let gone = b.steps.pop().unwrap();
        let fresh = Step { id: "fresh".into(), ..gone.clone() };
        b.steps.push(Step { name: "Fresh".into(), ..fresh });
        b.groups[0].strength = 0.25;
        let found = compare(&a, &b);
        let of = |what: What| found.iter().filter(|d| d.what == what).collect::<Vec<_>>();
        let exposure = of(What::Value).into_iter().find(|d| d.field == "exposure").unwrap();
        assert_eq!((&exposure.title[..], &exposure.after), ("Exposure", &json!(1.5)));
        assert_eq!(of(What::On)[0].name, b.steps[1].name);
        assert_eq!(of(What::Added)[0].name, "Fresh");
        assert_eq!(of(What::Removed)[0].name, gone.name);
        assert_eq!(of(What::Strength)[0].after, json!(0.25));
        assert!(of(What::Moved).is_empty());
    }

    #[test]
    fn of_three_steps_turned_round_the_fewest_are_called_moved() {
        assert_eq!(out_of_order(&[Some(2), Some(0), Some(1)]), [true, false, false]);
        assert_eq!(out_of_order(&[Some(0), None, Some(1)]), [false, false, false]);
    }
}
