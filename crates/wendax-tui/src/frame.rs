//! State to cells: the header, the panes of the page, the keys line, and what lies over them. Nothing is changed here.

mod header;
pub(crate) mod keys_line;

use crate::app::App;
use crate::layout::{SMALLEST, lay_out};
use crate::parts::pen::Pen;
use crate::screen::Layout;
use crate::sheets;
use crate::theme::Ink;
use ratatui::Frame;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// Draws everything.
pub fn draw(app: &App, frame: &mut Frame<'_>) {
    draw_in(app, frame.buffer_mut());
}

/// Draws everything into cells.
pub(crate) fn draw_in(app: &App, buffer: &mut Buffer) {
    let area = buffer.area;
    let mut pen = Pen::new(buffer, app.screen.theme);
    pen.clear(area);
    if area.width < SMALLEST.0 || area.height < SMALLEST.1 {
        return too_small(&mut pen, area);
    }
    // The screen may have another size than was told last; it will be told soon.
    let size = (area.width, area.height);
    let fresh: Layout;
    let layout = if app.screen.size == size {
        &app.screen.layout
    } else {
        fresh = lay_out(app, size);
        &fresh
    };
    header::draw(app, &mut pen, layout.header);
    for (id, place) in &layout.panes {
        id.pane().draw(app, &mut pen, *place);
    }
    crate::lessons::draw(app, &mut pen, layout.lesson);
    sheets::draw(app, &mut pen, area);
    keys_line::draw(app, &mut pen, layout.keys);
    pen.calm(area);
}

fn too_small(pen: &mut Pen<'_>, area: Rect) {
    let lines = [
        "Wendax needs a little more room:".to_owned(),
        format!("{} × {} signs; here are {} × {}.", SMALLEST.0, SMALLEST.1, area.width, area.height),
        "Nothing is lost; make the window larger.".to_owned(),
    ];
    for (row, line) in (area.y..area.bottom()).zip(lines) {
        pen.text(area.x, row, area.width, &line, Ink::Time);
    }
}
