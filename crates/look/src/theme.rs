//! Colours and styles. Every meaning has a shape and a word too: nothing rests on colour alone.

use jurex_station::config::ThemeName;
use ratatui::style::{Color, Modifier, Style};

/// What a style is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum StyleRole {
    /// Plain words.
    Text,
    /// Lesser words.
    Faint,
    /// Words that matter.
    Strong,
    /// The one act of a step.
    Act,
    /// Frames and scales.
    Line,
    /// What was there before.
    Former,
    /// Laid by a pass.
    Laid,
    /// Read back and right.
    Proved,
    /// Wrong, unreadable, unwritable.
    Fault,
    /// Not to be touched.
    Guarded,
}

/// A theme, ready for the terminal at hand.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Theme {
    name: ThemeName,
    depth: Depth,
}

/// How many colours the terminal has.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Depth {
    /// Any.
    True,
    /// 256 by number.
    Many,
    /// The 16 of Linux's own text console, which takes a palette: other numbers are squeezed into these by hue.
    Palette,
}

impl Depth {
    /// Of the terminal that these variables tell of.
    fn of(term: &str, colorterm: &str) -> Self {
        match (term, colorterm) {
            (_, "truecolor" | "24bit") => Depth::True,
            ("linux", _) => Depth::Palette,
            _ => Depth::Many,
        }
    }
}

type Rgb = (u8, u8, u8);

/// Places in the palette of the text console. Backgrounds reach the first eight only, and it clears its screen with the first.
mod place {
    pub const GROUND: u8 = 0;
    pub const FAULT: u8 = 1;
    pub const PROVED: u8 = 2;
    pub const LAID: u8 = 3;
    pub const FORMER: u8 = 4;
    pub const RAISED: u8 = 6;
    pub const TEXT: u8 = 7;
    pub const LINE: u8 = 8;
    pub const FAINT: u8 = 14;
    pub const STRONG: u8 = 15;
}

/// The text console takes back its own palette.
pub const OWN_PALETTE: &str = "\x1b]R";

impl Theme {
    pub fn new(name: ThemeName, depth: Depth) -> Self {
        Self { name, depth }
    }

    /// The asked-for theme as this terminal can show it. `NO_COLOR` (non-empty) means mono.
    pub fn of_environment(asked: Option<ThemeName>) -> Self {
        let set = |name: &str| std::env::var_os(name).is_some_and(|v| !v.is_empty());
        let name = match asked {
            _ if set("NO_COLOR") => ThemeName::Mono,
            Some(name) => name,
            None => ThemeName::Dark,
        };
        let said = |name: &str| std::env::var(name).unwrap_or_default();
        Self::new(name, Depth::of(&said("TERM"), &said("COLORTERM")))
    }

    /// The next theme, in a circle.
    pub fn next(self) -> Self {
        self.named(self.name.next())
    }

    /// The same terminal in that theme.
    pub fn named(self, name: ThemeName) -> Self {
        Self { name, ..self }
    }

    /// A colour, which has that place where there is a palette.
    fn colour(self, (r, g, b): Rgb, place: u8) -> Color {
        match self.depth {
            Depth::True => Color::Rgb(r, g, b),
            Depth::Many => Color::Indexed(nearest_indexed((r, g, b))),
            Depth::Palette => Color::Indexed(place),
        }
    }

    /// What sets the text console's palette for this theme; `None` on other terminals, which would wait for the end of it for ever.
    pub fn palette(self) -> Option<String> {
        if self.depth != Depth::Palette {
            return None;
        }
        // Where two roles share a place, the one that is named here has it.
        let roles = [
            StyleRole::Fault,
            StyleRole::Proved,
            StyleRole::Laid,
            StyleRole::Former,
            StyleRole::Text,
            StyleRole::Line,
            StyleRole::Faint,
            StyleRole::Act,
        ];
        let mut colours = [self.rgb(StyleRole::Text); 16];
        (colours[usize::from(place::GROUND)], colours[usize::from(place::RAISED)]) = self.grounds();
        for role in roles {
            colours[usize::from(Self::place(role))] = self.rgb(role);
        }
        // Bold is shown as the number eight places on: the same colours stand there.
        for at in 1..6 {
            colours[at + 8] = colours[at];
        }
        Some(colours.iter().enumerate().map(|(at, (r, g, b))| format!("\x1b]P{at:x}{r:02x}{g:02x}{b:02x}")).collect())
    }

    /// The ground, and the raised ground.
    fn grounds(self) -> (Rgb, Rgb) {
        match self.name {
            ThemeName::Light => ((0xf6, 0xf4, 0xee), (0xe6, 0xe2, 0xd7)),
            ThemeName::Dark | ThemeName::Mono => ((0x11, 0x16, 0x1c), (0x1d, 0x27, 0x32)),
        }
    }

    fn rgb(self, role: StyleRole) -> Rgb {
        let (dark, light) = match role {
            StyleRole::Text | StyleRole::Strong => ((0xd9, 0xdf, 0xe4), (0x23, 0x28, 0x2e)),
            StyleRole::Faint => ((0x8d, 0x98, 0xa3), (0x5d, 0x66, 0x70)),
            StyleRole::Act => ((0xf2, 0xf4, 0xf6), (0x11, 0x14, 0x18)),
            StyleRole::Line => ((0x2b, 0x37, 0x44), (0xc9, 0xc4, 0xb6)),
            StyleRole::Former => ((0x6c, 0x87, 0xb5), (0x4a, 0x66, 0x94)),
            StyleRole::Laid => ((0xd6, 0xa1, 0x3d), (0x9a, 0x6a, 0x08)),
            StyleRole::Proved => ((0x3f, 0xb5, 0x9b), (0x12, 0x7a, 0x63)),
            StyleRole::Fault => ((0xf0, 0x66, 0x5f), (0xb3, 0x26, 0x1e)),
            StyleRole::Guarded => ((0x86, 0x94, 0xa3), (0x66, 0x72, 0x7f)),
        };
        if self.name == ThemeName::Light { light } else { dark }
    }

    /// The style of a role.
    pub fn style(self, role: StyleRole) -> Style {
        let style = match self.name {
            ThemeName::Mono => Style::new(),
            _ => Style::new().fg(self.colour(self.rgb(role), Self::place(role))),
        };
        match (role, self.name) {
            // The text console shows bold as another place of its palette.
            (StyleRole::Strong | StyleRole::Act, ThemeName::Dark | ThemeName::Light) if self.depth == Depth::Palette => style,
            (StyleRole::Strong | StyleRole::Act, _) | (StyleRole::Fault, ThemeName::Mono) => style.add_modifier(Modifier::BOLD),
            (StyleRole::Faint | StyleRole::Line | StyleRole::Guarded, ThemeName::Mono) => style.add_modifier(Modifier::DIM),
            _ => style,
        }
    }

    /// The place of a role in the palette of the text console.
    fn place(role: StyleRole) -> u8 {
        match role {
            StyleRole::Text => place::TEXT,
            StyleRole::Strong | StyleRole::Act => place::STRONG,
            StyleRole::Faint | StyleRole::Guarded => place::FAINT,
            StyleRole::Line => place::LINE,
            StyleRole::Former => place::FORMER,
            StyleRole::Laid => place::LAID,
            StyleRole::Proved => place::PROVED,
            StyleRole::Fault => place::FAULT,
        }
    }

    /// The ground of the whole screen.
    pub fn ground(self) -> Style {
        match self.name {
            ThemeName::Mono => Style::new(),
            _ => {
                let text = self.colour(self.rgb(StyleRole::Text), place::TEXT);
                Style::new().bg(self.colour(self.grounds().0, place::GROUND)).fg(text)
            }
        }
    }

    /// The ground of what is chosen, or lies above the rest.
    pub fn raised(self) -> Style {
        match self.name {
            ThemeName::Mono => Style::new(),
            _ => Style::new().bg(self.colour(self.grounds().1, place::RAISED)),
        }
    }
}

/// The nearest of the 216 colours and 24 greys that terminals number from 16 on.
fn nearest_indexed(wanted: Rgb) -> u8 {
    let distance = |(r, g, b): Rgb| {
        let square = |a: u8, b: u8| (i32::from(a) - i32::from(b)).pow(2);
        square(r, wanted.0) + square(g, wanted.1) + square(b, wanted.2)
    };
    let level = |n: u8| if n == 0 { 0 } else { 55 + 40 * n };
    let cube = (0..216u8).map(|n| (16 + n, (level(n / 36), level(n / 6 % 6), level(n % 6))));
    let grey = (0..24u8).map(|n| (232 + n, (8 + 10 * n, 8 + 10 * n, 8 + 10 * n)));
    cube.chain(grey).min_by_key(|(_, rgb)| distance(*rgb)).map_or(7, |(index, _)| index)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn without_true_colour_the_nearest_of_256_is_taken() {
        assert_eq!(nearest_indexed((255, 0, 0)), 196);
        assert_eq!(nearest_indexed((8, 8, 8)), 232);
        assert_eq!(nearest_indexed((0xd6, 0xa1, 0x3d)), 179);
    }

    #[test]
    fn mono_uses_no_colour_at_all() {
        let mono = Theme::new(ThemeName::Mono, Depth::True);
        for role in [StyleRole::Text, StyleRole::Fault, StyleRole::Laid, StyleRole::Guarded] {
            assert_eq!((mono.style(role).fg, mono.style(role).bg), (None, None));
        }
        assert_eq!((mono.ground().bg, mono.raised().bg), (None, None));
    }

    #[test]
    fn the_text_console_gets_numbers_of_its_palette_and_no_others() {
        const ROLES: [StyleRole; 10] = [
            StyleRole::Text,
            StyleRole::Faint,
            StyleRole::Strong,
            StyleRole::Act,
            StyleRole::Line,
            StyleRole::Former,
            StyleRole::Laid,
            StyleRole::Proved,
            StyleRole::Fault,
            StyleRole::Guarded,
        ];
        assert_eq!(Depth::of("linux", ""), Depth::Palette);
        assert_eq!(Depth::of("linux", "truecolor"), Depth::True);
        assert_eq!(Depth::of("xterm-256color", ""), Depth::Many);
        for name in [ThemeName::Dark, ThemeName::Light] {
            let theme = Theme::new(name, Depth::Palette);
            let palette = theme.palette().unwrap();
            let colour_at = |n: u8| {
                let entry = palette.split("\x1b]P").find_map(|e| e.strip_prefix(&format!("{n:x}")));
                let number = u32::from_str_radix(entry.unwrap(), 16).unwrap();
                ((number >> 16) as u8, (number >> 8) as u8, number as u8)
            };
            for role in ROLES {
                let style = theme.style(role);
                let Some(Color::Indexed(n)) = style.fg else { panic!("{role:?} has no number") };
                assert!(n < 16 && style.add_modifier.is_empty(), "{role:?}: bold would be another number");
                let near = |a: u8, b: u8| a.abs_diff(b) <= 16;
                let (shown, meant) = (colour_at(n), theme.rgb(role));
                let same = near(shown.0, meant.0) && near(shown.1, meant.1) && near(shown.2, meant.2);
                assert!(same || role == StyleRole::Strong, "{role:?} is {shown:?} and should be {meant:?}");
            }
            let grounds = [theme.ground().bg, theme.raised().bg];
            assert_eq!(grounds, [Some(Color::Indexed(0)), Some(Color::Indexed(6))], "backgrounds reach the first eight only");
            assert_eq!((colour_at(0), colour_at(6)), theme.grounds());
        }
        assert_eq!(Theme::new(ThemeName::Dark, Depth::Many).palette(), None, "others would hang on it");
    }
}
