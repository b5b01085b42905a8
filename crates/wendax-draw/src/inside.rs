//! Inside of an instruction: what goes from where to where until it is done, cycle by cycle.

use crate::scene::{Anchor, Area, Ink, LINE, MARGIN, SIZE, Scene, Stroke, TOP, length, text_width};
use wendax_session::{Inside, Session, Spot, grouped, inside as taken_apart, place};

/// From one place of the machine to the next.
const APART: f32 = 84.0;

/// The step that comes next in a session; `None` when there is none.
pub fn inside(session: &Session) -> Option<Scene> {
    let taken = taken_apart(session)?;
    let machine = session.machine();
    let at = place(session.image(), machine.target(), machine.pc());
    let note = format!("at step {}, {at}: {}", grouped(session.now().0), taken.takes());
    let mut scene = Scene::new(taken.title.clone(), &note);
    let spots = spots(&taken);
    let left = MARGIN + 30.0;
    let x = |spot: Spot| left + APART * (length(spots.iter().position(|it| *it == spot).unwrap_or(0)) + 0.5);
    for spot in &spots {
        scene.write((x(*spot), TOP), Anchor::Middle, spot.name(), Ink::Place, SIZE).bold();
    }
    let right = left + APART * length(spots.len()) + 14.0;
    let top = TOP + 10.0;
    let mut y = top;
    let mut last = None;
    for transfer in &taken.transfers {
        let high = LINE + 5.0 + LINE * length(transfer.bits.len());
        if last != Some(transfer.cycle) {
            scene.line((MARGIN, y), (right + 360.0, y), Stroke::thin(Ink::Rule));
            let number = if transfer.cycle == 0 { "\u{2013}".to_owned() } else { transfer.cycle.to_string() };
            scene.put((MARGIN, y + LINE), &number, Ink::Time);
            last = Some(transfer.cycle);
        }
        let middle = y + LINE - 4.0;
        let (from, to) = (x(transfer.from), x(transfer.to));
        let way = Stroke::thin(Ink::Time).wide(1.6);
        if transfer.from == transfer.to {
            let area = Area { x: from - 4.0, y: middle - 4.0, width: 8.0, height: 8.0 };
            scene.rectangle(area, Some(Ink::Time), None);
        } else {
            scene.path(vec![(from, middle), (to, middle)], way, true);
        }
        scene.put((right, y + LINE), &transfer.words, Ink::Text);
        for (row, bits) in (1..).zip(&transfer.bits) {
            scene.put((right + 12.0, y + LINE + LINE * length(row)), bits, Ink::Quiet);
        }
        y += high;
    }
    for spot in &spots {
        scene.line((x(*spot), top), (x(*spot), y + 4.0), Stroke::thin(Ink::Faint).dashed());
    }
    // Nothing is wider than what it is drawn for.
    let widest = taken.transfers.iter().map(|transfer| text_width(&transfer.words, SIZE)).fold(0.0, f32::max);
    scene.line((MARGIN, y + 4.0), (right + widest.max(360.0), y + 4.0), Stroke::thin(Ink::Rule));
    Some(scene.finished())
}

/// The places that something comes from or goes to; flags and host only where they have a part.
fn spots(taken: &Inside) -> Vec<Spot> {
    let has_part = |spot: Spot| taken.transfers.iter().any(|transfer| transfer.from == spot || transfer.to == spot);
    let is_always = |spot: Spot| !matches!(spot, Spot::Flags | Spot::Host);
    Spot::ALL.into_iter().filter(|spot| is_always(*spot) || has_part(*spot)).collect()
}
