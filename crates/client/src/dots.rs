//! A picture of dots in a terminal: each character is a cell of two by four dots (Unicode, block
//! Braille Patterns, U+2800 to U+28FF).

/// Bits of the dots of a cell, column by column from the top.
const BITS: [[u8; 4]; 2] = [[0x01, 0x02, 0x04, 0x40], [0x08, 0x10, 0x20, 0x80]];

/// Dots that are set, from the left and from the top.
pub(crate) struct Dots {
    columns: usize,
    rows: usize,
    cells: Vec<u8>,
}

impl Dots {
    /// An empty picture of so many characters.
    pub(crate) fn new(columns: usize, rows: usize) -> Self {
        Self { columns, rows, cells: vec![0; columns * rows] }
    }

    /// How many dots it is wide.
    pub(crate) const fn width(&self) -> usize {
        2 * self.columns
    }

    /// How many dots it is high.
    pub(crate) const fn height(&self) -> usize {
        4 * self.rows
    }

    /// Sets a dot; one outside is left out.
    pub(crate) fn set(&mut self, x: usize, y: usize) {
        if x < self.width() && y < self.height() {
            self.cells[y / 4 * self.columns + x / 2] |= BITS[x % 2][y % 4];
        }
    }

    /// Sets the dots above each other from one to another, both included.
    pub(crate) fn upright(&mut self, x: usize, from: usize, to: usize) {
        (from.min(to)..=from.max(to)).for_each(|y| self.set(x, y));
    }

    /// Sets the dots from one place to another that lies to the right of it.
    pub(crate) fn line(&mut self, (x, y): (usize, usize), (to_x, to_y): (usize, usize)) {
        let length = to_x.saturating_sub(x).max(1);
        let at = |step: usize| {
            let share = step as f64 / length as f64;
            (y as f64 + (to_y as f64 - y as f64) * share).round() as usize
        };
        let mut last = y;
        for step in 0..=length {
            let here = at(step);
            self.upright(x + step, last, here);
            last = here;
        }
    }

    /// A line of text for each row of characters.
    pub(crate) fn lines(&self) -> Vec<String> {
        let sign = |bits: &u8| char::from_u32(0x2800 + u32::from(*bits)).unwrap_or(' ');
        self.cells.chunks(self.columns.max(1)).map(|row| row.iter().map(sign).collect()).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn dots_stand_where_they_belong() {
        let mut dots = Dots::new(2, 1);
        dots.set(0, 0);
        dots.set(3, 3);
        dots.set(9, 9);
        assert_eq!(dots.lines(), ["⠁⢀"]);
        dots.upright(1, 3, 0);
        assert_eq!(dots.lines(), ["⢹⢀"]);
    }

    #[test]
    fn a_line_leaves_no_hole() {
        let mut dots = Dots::new(3, 2);
        dots.line((0, 7), (5, 0));
        let set = |x: usize, y: usize| dots.cells[y / 4 * 3 + x / 2] & BITS[x % 2][y % 4] != 0;
        assert!((0..6).all(|x| (0..8).any(|y| set(x, y))), "each column");
        assert!((0..8).all(|y| (0..6).any(|x| set(x, y))), "each row");
    }

    #[test]
    fn nothing_is_set_outside() {
        for (columns, rows) in [(0, 0), (0, 3), (1, 1), (3, 2), (9, 9)] {
            for (x, y, to) in [(0, 0, 0), (2, 40, 0), (40, 1, 3), (1, 2, 49)] {
                let mut dots = Dots::new(columns, rows);
                dots.line((x, y), (x + 7, to));
                assert_eq!(dots.lines().len(), if columns == 0 { 0 } else { rows });
            }
        }
    }
}
