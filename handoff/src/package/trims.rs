//! The trims of a package's shots as ASC CDL.

use super::Order;
use crate::corrections;
use crate::manifest::NotMade;
use crate::plan::{Receiver, plain_name};
use lantern_formats::cdl::{self, Correction, Form};

/// Trims as corrections: path, what it is, text.
pub(super) fn decisions(
    order: &Order<'_>,
    receiver: &Receiver,
    form: &str,
    not_made: &mut Vec<NotMade>,
) -> Vec<(String, String, String)> {
    let Some(kind) = Form::of_extension(form) else { return Vec::new() };
    let mut found: Vec<(Correction, String)> = Vec::new();
    for (i, shot) in order.shots.iter().enumerate() {
        match corrections::fit(&shot.trim) {
            Ok(fitted) => {
                let id = format!("{:02}-{}", i + 1, plain_name(&shot.name, "shot"));
                let is = format!("trim of {}, CIEDE2000 {:.2} from it on average", shot.name, fitted.mean);
                found.push((Correction { id, step: fitted.step }, is));
            }
            Err(why) => not_made.push(NotMade {
                receiver: receiver.name.clone(),
                what: format!("the trim of {} as an ASC CDL", shot.name),
                why,
            }),
        }
    }
    if found.is_empty() {
        return Vec::new();
    }
    if kind == Form::Correction {
        let one = |(c, is): &(Correction, String)| {
            (format!("corrections/{}.cc", c.id), is.clone(), cdl::write(std::slice::from_ref(c), kind))
        };
        return found.iter().map(one).collect();
    }
    let all: Vec<Correction> = found.iter().map(|f| f.0.clone()).collect();
    let name = format!("corrections/{}.{form}", plain_name(&order.look.name, "look"));
    vec![(name, format!("trims of {} shots, on ACEScct", all.len()), cdl::write(&all, kind))]
}
