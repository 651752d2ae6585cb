//! A part of the terminal that is drawn again and again in place.

use anyhow::Result;
use crossterm::event::{Event as Key, KeyCode, KeyModifiers, poll, read};
use crossterm::{cursor, queue, terminal};
use std::io::{Write, stdout};
use std::time::Duration;

/// Puts the terminal back as it was, whatever happens.
pub(crate) struct Screen {
    rows: u16,
}

/// Columns and rows of the terminal; what is usual where there is none.
pub(crate) fn size() -> (u16, u16) {
    terminal::size().unwrap_or((80, 24))
}

impl Screen {
    pub(crate) fn new() -> Result<Self> {
        terminal::enable_raw_mode()?;
        queue!(stdout(), cursor::Hide)?;
        Ok(Self { rows: 0 })
    }

    /// Draws over what was drawn before.
    pub(crate) fn draw(&mut self, text: &str) -> Result<()> {
        let (width, height) = size();
        let lines: Vec<&str> = text.lines().take(usize::from(height.saturating_sub(1))).collect();
        let mut out = stdout();
        if self.rows > 0 {
            queue!(out, cursor::MoveUp(self.rows))?;
        }
        queue!(out, cursor::MoveToColumn(0), terminal::Clear(terminal::ClearType::FromCursorDown))?;
        for line in &lines {
            let cut: String = line.chars().take(usize::from(width)).collect();
            write!(out, "{cut}\r\n")?;
        }
        self.rows = lines.len() as u16;
        Ok(out.flush()?)
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        let _ = queue!(stdout(), cursor::Show);
        let _ = terminal::disable_raw_mode();
        let _ = stdout().flush();
    }
}

/// Whether somebody pressed a key that ends it.
pub(crate) fn wants_end() -> Result<bool> {
    while poll(Duration::ZERO)? {
        if let Key::Key(key) = read()?
            && (matches!(key.code, KeyCode::Char('q') | KeyCode::Esc)
                || (key.code == KeyCode::Char('c') && key.modifiers.contains(KeyModifiers::CONTROL)))
        {
            return Ok(true);
        }
    }
    Ok(false)
}
