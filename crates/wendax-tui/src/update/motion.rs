//! Moving up and down: in the text, in lists, in panes that scroll.

use crate::actions::{Motion, Talk};
use crate::app::App;
use crate::message::Effect;
use crate::panes::{self, Order, PaneId, PaneState, source};
use crate::screen::Mode;
use crate::sheet::Sheet;
use crate::world::values::Lens;

/// Cells a look sideways goes.
const SIDEWAYS: usize = 8;

impl App {
    pub(super) fn motion(&mut self, motion: Motion, effects: &mut Vec<Effect>) {
        match motion {
            Motion::Up => self.move_by(-1),
            Motion::Down => self.move_by(1),
            Motion::PageUp => self.move_by(-self.page()),
            Motion::PageDown => self.move_by(self.page()),
            Motion::First => self.move_by(isize::MIN / 2),
            Motion::Last => self.move_by(isize::MAX / 2),
            Motion::Sideways if self.screen.focus == PaneId::Memory => self.move_cell(1),
            Motion::SidewaysBack if self.screen.focus == PaneId::Memory => self.move_cell(-1),
            Motion::Sideways if self.screen.focus == PaneId::Atlas => self.move_on_map(1),
            Motion::SidewaysBack if self.screen.focus == PaneId::Atlas => self.move_on_map(-1),
            Motion::Sideways => self.screen.source.sideways = (self.screen.source.sideways + SIDEWAYS).min(2000),
            Motion::SidewaysBack => {
                self.screen.source.sideways = self.screen.source.sideways.saturating_sub(SIDEWAYS);
            }
            Motion::Enter => self.enter(effects),
        }
    }

    /// Rows of a page of what has the focus.
    fn page(&self) -> isize {
        let pane = if self.screen.mode == Mode::Write { PaneId::Source } else { self.screen.focus };
        let rows = match &self.screen.sheet {
            Some(sheet) => sheet.page(self.screen.size.1),
            None => self.screen.layout.area(pane).map_or(10, |area| area.height.saturating_sub(2)),
        };
        isize::try_from(rows.max(1)).unwrap_or(1)
    }

    pub(super) fn move_by(&mut self, by: isize) {
        if let Some(offering) = &mut self.screen.offering
            && by.abs() == 1
        {
            let last = offering.offers.list.len() - 1;
            offering.chosen = offering.chosen.saturating_add_signed(by).min(last);
        } else if self.screen.sheet.is_some() {
            self.move_in_sheet(by);
        } else {
            let focus = if self.screen.mode == Mode::Write { PaneId::Source } else { self.screen.focus };
            self.move_in_pane(focus, by);
        }
    }

    /// Moves the cursor of the memory by cells.
    fn move_cell(&mut self, by: isize) {
        let mask = self.session().map_or(0, |session| session.machine().target().address_mask() as usize);
        let start = self.memory_start().map_or(0, |start| start.0 as usize);
        let state = self.screen.panes.of_mut(PaneId::Memory);
        let at = state.chosen.checked_sub(1).unwrap_or(start).saturating_add_signed(by).min(mask);
        state.chosen = at + 1;
    }

    /// Moves the cursor of the atlas by signs.
    fn move_on_map(&mut self, by: isize) {
        let area = self.screen.layout.area(PaneId::Atlas).unwrap_or_default();
        if let Some(state) = panes::sideways(self, area, by) {
            *self.screen.panes.of_mut(PaneId::Atlas) = state;
        }
    }

    fn move_in_sheet(&mut self, by: isize) {
        if matches!(self.screen.sheet, Some(Sheet::Prompt { .. })) {
            return self.screen.recall(by < 0);
        }
        let page = self.page();
        let Some(mut sheet) = self.screen.sheet.take() else { return };
        // The page of the guide is scrolled by pages, its list line by line.
        if let Sheet::Guide(reading) = &mut sheet {
            if by.abs() == page {
                reading.scroll = reading.scroll.saturating_add_signed(by / 2);
                self.screen.sheet = Some(sheet);
                return;
            }
            (reading.scroll, reading.reference) = (0, 0);
        }
        let last = sheet.count(self).saturating_sub(1);
        if let Some(chosen) = sheet.chosen_mut() {
            *chosen = chosen.saturating_add_signed(by).min(last);
        }
        self.screen.sheet = Some(sheet);
    }

    /// Moves in a pane, whether it has the focus or not.
    pub(super) fn move_in_pane(&mut self, id: PaneId, by: isize) {
        if id == PaneId::Source {
            self.screen.offering = None;
            self.editor_mut().select(false);
            return self.move_cursor(by);
        }
        let area = self.screen.layout.area(id).unwrap_or_default();
        if let Some(state) = id.pane().moved(self, area, by) {
            *self.screen.panes.of_mut(id) = state;
            return;
        }
        if id == PaneId::Trail && by.abs() > isize::MAX / 4 {
            return self.show_end_of_trail(by > 0);
        }
        if let Some(count) = id.pane().entries(self) {
            let state = self.screen.panes.of_mut(id);
            state.chosen =
                state.chosen.min(count.saturating_sub(1)).saturating_add_signed(by).min(count.saturating_sub(1));
            return;
        }
        let (least, most) = id.pane().scroll_range(self, area);
        let state = self.screen.panes.of_mut(id);
        state.scroll = state.scroll.saturating_add(by as i64).clamp(least, most.max(least));
    }

    /// Moves the cursor of the text by lines.
    pub(super) fn move_cursor(&mut self, by: isize) {
        if self.screen.mode == Mode::Walk && by.abs() == 1 && self.move_among_parts(by > 0) {
            return;
        }
        self.screen.source.part = None;
        let editor = self.editor_mut();
        match by {
            by if by <= isize::MIN / 2 => editor.go_to(0, 0),
            by if by >= isize::MAX / 2 => editor.go_to(usize::MAX, 0),
            by => editor.move_lines(by),
        }
    }

    /// Moves the cursor within what lines became, where that is shown; true when that was it.
    fn move_among_parts(&mut self, down: bool) -> bool {
        let line = self.editor().cursor().0;
        let count = source::parts_shown(self, line).len();
        let part = self.part_under_cursor();
        let to = match (down, part) {
            (true, None) if count > 0 => Some((line, Some(0))),
            (true, Some(part)) if part + 1 < count => Some((line, Some(part + 1))),
            (false, Some(0)) => Some((line, None)),
            (false, Some(part)) => Some((line, Some(part - 1))),
            (false, None) if line > 0 => {
                let above = source::parts_shown(self, line - 1).len();
                (above > 0).then(|| (line - 1, Some(above - 1)))
            }
            _ => None,
        };
        let Some((line, part)) = to else { return false };
        if line != self.editor().cursor().0 {
            self.editor_mut().move_lines(-1);
        }
        self.screen.source.part = part.map(|part| (self.screen.shown, line, part));
        true
    }

    /// Does what Enter does on the chosen entry of the pane in focus.
    fn enter(&mut self, effects: &mut Vec<Effect>) {
        let pane = self.screen.focus.pane();
        let Some(count) = pane.entries(self) else { return };
        let chosen = self.screen.panes.of(self.screen.focus).chosen.min(count.saturating_sub(1));
        match pane.enter(self, chosen) {
            Some(order) => {
                // What is gone to from a page is looked at in the bench.
                let to_text = matches!(order, Order::Show(..));
                // The run of a row is there only later: the page stays until then.
                if self.screen.focus.is_page() && !matches!(order, Order::Row(_)) {
                    self.leave_page();
                    if to_text {
                        self.focus_on(PaneId::Source);
                    }
                }
                self.obey(order, effects);
            }
            None => self.screen.trouble("there is nothing to go to"),
        }
    }

    /// Does what a pane wants done.
    pub(super) fn obey(&mut self, order: Order, effects: &mut Vec<Effect>) {
        match order {
            Order::Travel(command) => self.begin(command, effects),
            Order::Show(document, line) => self.show_line(document, line),
            Order::Memory(address) => {
                self.screen.lens = Lens::At(address);
                *self.screen.panes.of_mut(PaneId::Memory) = PaneState::default();
                self.focus_on(PaneId::Memory);
            }
            Order::WrittenBy(thing) => self.go_to_writer(thing, effects),
            Order::Lever(number) => self.move_lever(number),
            Order::Strike => self.console(Talk::Strike),
            Order::Run(nth) if self.world.go_to_run(nth) => {
                self.place_stops();
                self.arrived();
                self.screen.say("this is another run now; Ctrl-Z goes back to the one that was left");
            }
            Order::Row(index) => self.walk_row(index, effects),
            Order::Run(_) => self.screen.trouble("the program is on its way: Space stops it, then this can be done"),
        }
    }
}
