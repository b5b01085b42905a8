//! What is on the screen as data for drawings: the bench, or one pane, as runs of signs with their colours.

use crate::app::App;
use crate::frame;
use crate::panes::{self, PaneId};
use ratatui::buffer::{Buffer, Cell};
use ratatui::layout::Rect;
use ratatui::style::{Color, Modifier};
use unicode_width::UnicodeWidthStr;
use wendax_draw::{Grid, Run};
use wendax_session::{Session, grouped};

type Rgb = (u8, u8, u8);

impl App {
    /// Walks this, in the place of the walk there was.
    pub fn show_walk(&mut self, session: Session) {
        self.world.walk.begin(session);
        self.show_present_line();
        self.screen.size = (0, 0);
    }

    /// The screen as it would be in a terminal of so many columns and rows; of one pane only when that is named.
    pub fn grid(&mut self, size: (u16, u16), pane: Option<&str>) -> Result<Grid, String> {
        let wanted = pane.map(|name| {
            let found = panes::all().find(|(_, pane)| pane.name() == name);
            found.map(|(id, _)| id).ok_or_else(|| {
                let names: Vec<&str> = panes::all().map(|(_, pane)| pane.name()).collect();
                format!("{name}: there is no such pane; there are {}", names.join(", "))
            })
        });
        let wanted = wanted.transpose()?;
        let before = (self.screen.size, self.screen.focus);
        if let Some(id) = wanted {
            self.screen.focus = id;
        }
        self.lay_out_for(size);
        // It has room as if it had the focus, and looks as if it had not.
        self.screen.focus = PaneId::Source;
        let grid = self.grid_of(wanted);
        (self.screen.size, self.screen.focus) = before;
        self.lay_out_for(before.0);
        grid.ok_or_else(|| "the pane has no room on a screen of this size".to_owned())
    }

    /// The screen as it is, or one pane of it.
    pub(crate) fn grid_of(&self, pane: Option<PaneId>) -> Option<Grid> {
        let size = self.screen.size;
        let whole = Rect { x: 0, y: 0, width: size.0, height: size.1 };
        let mut buffer = Buffer::empty(whole);
        frame::draw_in(self, &mut buffer);
        let area = pane.map_or(Some(whole), |id| self.screen.layout.area(id))?;
        let what = pane.map_or("the bench", |id| id.pane().name());
        let step = self.session().map_or(String::new(), |session| format!(", step {}", grouped(session.now().0)));
        let (ink, ground) = (self.screen.theme.plain_ink(), self.screen.theme.plain_ground());
        let rows = (area.top()..area.bottom()).map(|y| row(&buffer, area, y, (ink, ground))).collect();
        Some(Grid { title: format!("{what}{step}"), size: (area.width.into(), area.height.into()), ground, rows })
    }
}

/// A row as runs of one look.
fn row(buffer: &Buffer, area: Rect, y: u16, (ink, ground): (Rgb, Rgb)) -> Vec<Run> {
    let mut runs: Vec<Run> = Vec::new();
    let mut skip = 0;
    for x in area.left()..area.right() {
        if skip > 0 {
            skip -= 1;
            continue;
        }
        let cell = &buffer[(x, y)];
        skip = cell.symbol().width().saturating_sub(1);
        let look = look(cell, (ink, ground));
        let column = usize::from(x - area.x);
        let last = runs.last_mut().filter(|run| (run.ink, run.ground, run.is_bold, run.is_underlined) == look);
        if let Some(run) = last {
            run.text.push_str(cell.symbol());
        } else {
            let (ink, ground, is_bold, is_underlined) = look;
            runs.push(Run { column, text: cell.symbol().to_owned(), ink, ground, is_bold, is_underlined });
        }
    }
    runs
}

/// Ink, another ground than the screen's, bold, underlined.
fn look(cell: &Cell, (ink, ground): (Rgb, Rgb)) -> (Rgb, Option<Rgb>, bool, bool) {
    let (mut front, mut back) = (rgb(cell.fg).unwrap_or(ink), rgb(cell.bg).unwrap_or(ground));
    if cell.modifier.contains(Modifier::REVERSED) {
        std::mem::swap(&mut front, &mut back);
    }
    let other = (back != ground).then_some(back);
    (front, other, cell.modifier.contains(Modifier::BOLD), cell.modifier.contains(Modifier::UNDERLINED))
}

/// The colour of a cell; none where the terminal's own is meant.
fn rgb(colour: Color) -> Option<Rgb> {
    match colour {
        Color::Rgb(red, green, blue) => Some((red, green, blue)),
        _ => None,
    }
}
