//! A picture as SVG: stands in a page, takes its inks where it has any, and is whole as a file of its own.

use std::fmt::Write;

use super::scale::Scale;
use crate::report::{Mark, Picture, Series, Unit};

const WIDTH: f64 = 760.0;
const HEIGHT: f64 = 240.0;
const LEFT: f64 = 56.0;
const RIGHT: f64 = 12.0;
const TOP: f64 = 34.0;
const BOTTOM: f64 = 30.0;
/// Height of names in several lines.
const NAMED_BOTTOM: f64 = 56.0;
/// Lines of a name.
const MOST_LINES: usize = 3;
/// Width of a letter, on the safe side.
const LETTER: f64 = 7.0;

/// Inks and forms. Forms differ too, so that black and white is enough: filled columns, a line with dots, a dashed line
/// without. Inside the application its own style sheet says the same with the inks of the day or the night.
pub(super) const STYLE: &str = "\
.picture .paper{fill:#fffdf7}\
.picture .grid{stroke:#ddd2bd}\
.picture .zero{stroke:#16283a}\
.picture text{fill:#16283a;font:12px 'Source Sans 3 Variable','Source Sans 3',Arial,sans-serif}\
.picture .columns{fill:#a9cfc4;stroke:#0e4f55}\
.picture .line{fill:none;stroke:#0e4f55;stroke-width:2}\
.picture .dot{fill:#0e4f55}\
.picture .dashed{fill:none;stroke:#8f4a12;stroke-width:2;stroke-dasharray:6 4}\
.picture .target{fill:none;stroke:#16283a;stroke-dasharray:2 3}";

/// A picture as an SVG file that needs nothing else.
pub fn svg(picture: &Picture) -> String {
    drawn(picture, &format!("<style>{STYLE}</style>"))
}

/// A picture for a page whose style sheet has the inks.
pub(super) fn svg_in_page(picture: &Picture) -> String {
    drawn(picture, "")
}

fn drawn(picture: &Picture, style: &str) -> String {
    let drawing = Drawing::of(picture);
    let mut out = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" class=\"picture\" viewBox=\"0 0 {WIDTH} {HEIGHT}\" role=\"img\" \
         aria-label=\"{}\">{style}<rect class=\"paper\" width=\"{WIDTH}\" height=\"{HEIGHT}\"/>",
        escaped(&picture.title)
    );
    drawing.legend(&mut out);
    drawing.scale(&mut out);
    for series in &picture.series {
        drawing.series(series, &mut out);
    }
    drawing.target(&mut out);
    drawing.names(&mut out);
    out + "</svg>"
}

struct Drawing<'a> {
    picture: &'a Picture,
    scale: Scale,
    /// Width of a place.
    wide: f64,
}

impl<'a> Drawing<'a> {
    fn of(picture: &'a Picture) -> Self {
        let figures = picture.series.iter().flat_map(|series| series.values.iter().flatten());
        let target = picture.target.iter().map(|(target, _)| target);
        let scaled = figures.chain(target).map(|figure| figure * picture.unit.scale());
        let has_columns = picture.series.iter().any(|series| series.mark == Mark::Columns);
        let wide = (WIDTH - LEFT - RIGHT) / picture.places.len().max(1) as f64;
        Self { picture, scale: Scale::holding(scaled, has_columns), wide }
    }

    /// Where the lowest figure lies.
    fn bottom(&self) -> f64 {
        HEIGHT - if self.picture.is_named { NAMED_BOTTOM } else { BOTTOM }
    }

    fn x(&self, place: usize) -> f64 {
        LEFT + (place as f64 + 0.5) * self.wide
    }

    fn y(&self, figure: f64) -> f64 {
        let share = self.scale.place(figure * self.picture.unit.scale());
        let bottom = self.bottom();
        bottom - share * (bottom - TOP)
    }

    fn legend(&self, out: &mut String) {
        let unit = self.picture.unit.sign().map_or_else(String::new, |sign| format!(", {sign}"));
        let title = format!("{}{unit}", self.picture.title);
        let _ = write!(
            out,
            "<text x=\"{LEFT}\" y=\"16\" font-weight=\"600\">{}</text>",
            escaped(&title)
        );
        let mut x = WIDTH - RIGHT;
        for series in self.picture.series.iter().rev() {
            x -= LETTER * series.name.chars().count() as f64;
            let _ = write!(out, "<text x=\"{x:.1}\" y=\"16\">{}</text>", escaped(&series.name));
            x -= 30.0;
            let end = x + 24.0;
            let _ = match series.mark {
                Mark::Columns => write!(
                    out,
                    "<rect class=\"columns\" x=\"{x:.1}\" y=\"6\" width=\"24\" height=\"11\"/>"
                ),
                Mark::Line => write!(
                    out,
                    "<path class=\"line\" d=\"M{x:.1} 12H{end:.1}\"/><circle class=\"dot\" cx=\"{:.1}\" cy=\"12\" r=\"3\"/>",
                    x + 12.0
                ),
                Mark::Dashed => {
                    write!(out, "<path class=\"dashed\" d=\"M{x:.1} 12H{end:.1}\"/>")
                }
            };
            x -= 18.0;
        }
    }

    fn scale(&self, out: &mut String) {
        let scale = self.picture.unit.scale();
        let places = self.decimals();
        for step in self.scale.steps() {
            let y = self.y(step / scale);
            let class = if step.abs() < 1e-9 { "zero" } else { "grid" };
            let text = crate::words::decimals(step, places);
            let _ = write!(
                out,
                "<path class=\"{class}\" d=\"M{LEFT} {y:.1}H{:.1}\"/>\
                 <text x=\"{:.1}\" y=\"{:.1}\" text-anchor=\"end\">{text}</text>",
                WIDTH - RIGHT,
                LEFT - 6.0,
                y + 4.0,
            );
        }
    }

    /// Decimals that tell its steps apart.
    fn decimals(&self) -> usize {
        let apart = |places: usize| {
            let texts: Vec<String> =
                self.scale.steps().map(|step| format!("{step:.places$}")).collect();
            let exact = self.scale.steps().zip(&texts).all(|(step, text)| {
                text.parse::<f64>().is_ok_and(|told| (told - step).abs() < 1e-6)
            });
            exact && texts.windows(2).all(|pair| pair[0] != pair[1])
        };
        (0..=3).find(|places| apart(*places)).unwrap_or(3)
    }

    fn series(&self, series: &Series, out: &mut String) {
        match series.mark {
            Mark::Columns => self.columns(series, out),
            Mark::Line => {
                self.line(series, "line", out);
                if series.values.len() <= 62 {
                    for (place, value) in self.points(series) {
                        let (x, y) = (self.x(place), self.y(value));
                        let _ = write!(
                            out,
                            "<circle class=\"dot\" cx=\"{x:.1}\" cy=\"{y:.1}\" r=\"3\"/>"
                        );
                    }
                }
            }
            Mark::Dashed if self.picture.is_named => self.levels(series, out),
            Mark::Dashed => self.line(series, "dashed", out),
        }
    }

    fn points<'s>(&self, series: &'s Series) -> impl Iterator<Item = (usize, f64)> + use<'s> {
        series.values.iter().enumerate().filter_map(|(place, value)| Some((place, (*value)?)))
    }

    /// A level over each name: names have no order that a line could follow.
    fn levels(&self, series: &Series, out: &mut String) {
        for (place, value) in self.points(series) {
            let (from, y) = (self.x(place) - 0.45 * self.wide, self.y(value));
            let until = from + 0.9 * self.wide;
            let _ = write!(out, "<path class=\"dashed\" d=\"M{from:.1} {y:.1}H{until:.1}\"/>");
        }
    }

    fn columns(&self, series: &Series, out: &mut String) {
        let (wide, zero) = ((0.7 * self.wide).max(0.8), self.y(0.0));
        for (place, value) in self.points(series) {
            let (x, y) = (self.x(place) - wide / 2.0, self.y(value));
            let (top, height) = (y.min(zero), (y - zero).abs());
            let _ = write!(
                out,
                "<rect class=\"columns\" x=\"{x:.1}\" y=\"{top:.1}\" width=\"{wide:.1}\" height=\"{height:.1}\">\
                 <title>{}: {}</title></rect>",
                escaped(self.picture.places.get(place).map_or("", String::as_str)),
                with_unit(self.picture.unit, value),
            );
        }
    }

    /// A line that breaks where a figure is missing.
    fn line(&self, series: &Series, class: &str, out: &mut String) {
        let mut path = String::new();
        let mut is_down = false;
        for (place, value) in series.values.iter().enumerate() {
            let Some(value) = value else {
                is_down = false;
                continue;
            };
            let (x, y) = (self.x(place), self.y(*value));
            let _ = write!(path, "{}{x:.1} {y:.1}", if is_down { "L" } else { "M" });
            is_down = true;
        }
        let _ = write!(out, "<path class=\"{class}\" d=\"{path}\"/>");
    }

    fn target(&self, out: &mut String) {
        let Some((target, name)) = &self.picture.target else { return };
        let y = self.y(*target);
        let _ = write!(
            out,
            "<path class=\"target\" d=\"M{LEFT} {y:.1}H{:.1}\"/>\
             <text x=\"{:.1}\" y=\"{:.1}\" text-anchor=\"end\">{}</text>",
            WIDTH - RIGHT,
            WIDTH - RIGHT,
            y - 4.0,
            escaped(name),
        );
    }

    /// Every name, in as many lines as there is room for.
    fn every_name(&self, out: &mut String) {
        let letters = (self.wide / LETTER - 1.0).max(1.0) as usize;
        for (place, name) in self.picture.places.iter().enumerate() {
            for (line, text) in (0..).zip(in_lines(name, letters)) {
                let _ = write!(
                    out,
                    "<text x=\"{:.1}\" y=\"{:.1}\" text-anchor=\"middle\">{}</text>",
                    self.x(place),
                    self.bottom() + 18.0 + 13.0 * f64::from(line),
                    escaped(&text),
                );
            }
        }
    }

    fn names(&self, out: &mut String) {
        if self.picture.is_named {
            return self.every_name(out);
        }
        let places = &self.picture.places;
        let wide = |name: &str| LETTER * name.chars().count() as f64;
        let widest = places.iter().map(|name| wide(name)).fold(0.0, f64::max);
        // Names stand far enough apart not to touch.
        let every = ((widest + LETTER) / self.wide).ceil().max(1.0) as usize;
        for (place, name) in places.iter().enumerate().step_by(every) {
            let (x, half) = (self.x(place), wide(name) / 2.0);
            if x - half < 0.0 || x + half > WIDTH {
                continue;
            }
            let _ = write!(
                out,
                "<text x=\"{x:.1}\" y=\"{:.1}\" text-anchor=\"middle\">{}</text>",
                self.bottom() + 18.0,
                escaped(name),
            );
        }
    }
}

/// A name in up to three lines of at most `letters` letters; a longer one ends with dots.
fn in_lines(name: &str, letters: usize) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for word in name.split_whitespace() {
        match lines.last_mut() {
            Some(line) if line.chars().count() + 1 + word.chars().count() <= letters => {
                *line = format!("{line} {word}");
            }
            _ => lines.push(word.to_owned()),
        }
    }
    let is_cut = lines.len() > MOST_LINES;
    lines.truncate(MOST_LINES);
    let last = lines.len().saturating_sub(1);
    for (nth, line) in lines.iter_mut().enumerate() {
        if line.chars().count() > letters || (is_cut && nth == last) {
            let kept: String = line.chars().take(letters.saturating_sub(1)).collect();
            *line = format!("{kept}…");
        }
    }
    lines
}

fn with_unit(unit: Unit, value: f64) -> String {
    let figure = unit.figure(value);
    unit.sign().map_or(figure.clone(), |sign| format!("{figure} {sign}"))
}

/// A text that ends no element and no attribute.
fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

#[cfg(test)]
mod tests {
    use super::in_lines;

    #[test]
    fn a_name_has_as_many_lines_as_it_needs_and_three_at_most() {
        assert_eq!(in_lines("Bookings", 10), ["Bookings"]);
        assert_eq!(in_lines("Vehicles & freight", 10), ["Vehicles &", "freight"]);
        assert_eq!(in_lines("Vehicles & freight", 5), ["Vehi…", "&", "frei…"]);
        assert_eq!(in_lines("All of the harbour offices", 7), ["All of", "the", "harbou…"]);
        assert!(in_lines("", 7).is_empty());
    }
}
