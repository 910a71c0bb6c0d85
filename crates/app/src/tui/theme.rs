//! Colours and styles. Every meaning has a shape and a word too: nothing rests on colour alone.

use crate::config::ThemeName;
use ratatui::style::{Color, Modifier, Style};

/// What a style is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Role {
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
pub(crate) struct Theme {
    name: ThemeName,
    true_colour: bool,
}

type Rgb = (u8, u8, u8);

impl Theme {
    pub(crate) fn new(name: ThemeName, true_colour: bool) -> Self {
        Self { name, true_colour }
    }

    /// The asked-for theme as this terminal can show it. `NO_COLOR` (non-empty) means mono.
    pub(crate) fn of_environment(asked: Option<ThemeName>) -> Self {
        let set = |name: &str| std::env::var_os(name).is_some_and(|v| !v.is_empty());
        let name = match asked {
            _ if set("NO_COLOR") => ThemeName::Mono,
            Some(name) => name,
            None => ThemeName::Dark,
        };
        let depth = std::env::var("COLORTERM").unwrap_or_default();
        Self::new(name, depth == "truecolor" || depth == "24bit")
    }

    /// The next theme, in a circle.
    pub(crate) fn next(self) -> Self {
        self.named(self.name.next())
    }

    /// The same terminal in that theme.
    pub(crate) fn named(self, name: ThemeName) -> Self {
        Self { name, ..self }
    }

    fn colour(self, (r, g, b): Rgb) -> Color {
        if self.true_colour { Color::Rgb(r, g, b) } else { Color::Indexed(nearest_indexed((r, g, b))) }
    }

    fn rgb(self, role: Role) -> Rgb {
        let (dark, light) = match role {
            Role::Text | Role::Strong => ((0xd9, 0xdf, 0xe4), (0x23, 0x28, 0x2e)),
            Role::Faint => ((0x8d, 0x98, 0xa3), (0x5d, 0x66, 0x70)),
            Role::Act => ((0xf2, 0xf4, 0xf6), (0x11, 0x14, 0x18)),
            Role::Line => ((0x2b, 0x37, 0x44), (0xc9, 0xc4, 0xb6)),
            Role::Former => ((0x6c, 0x87, 0xb5), (0x4a, 0x66, 0x94)),
            Role::Laid => ((0xd6, 0xa1, 0x3d), (0x9a, 0x6a, 0x08)),
            Role::Proved => ((0x3f, 0xb5, 0x9b), (0x12, 0x7a, 0x63)),
            Role::Fault => ((0xf0, 0x66, 0x5f), (0xb3, 0x26, 0x1e)),
            Role::Guarded => ((0x86, 0x94, 0xa3), (0x66, 0x72, 0x7f)),
        };
        if self.name == ThemeName::Light { light } else { dark }
    }

    /// The style of a role.
    pub(crate) fn style(self, role: Role) -> Style {
        let style = match self.name {
            ThemeName::Mono => Style::new(),
            _ => Style::new().fg(self.colour(self.rgb(role))),
        };
        match (role, self.name) {
            (Role::Strong | Role::Act, _) | (Role::Fault, ThemeName::Mono) => style.add_modifier(Modifier::BOLD),
            (Role::Faint | Role::Line | Role::Guarded, ThemeName::Mono) => style.add_modifier(Modifier::DIM),
            _ => style,
        }
    }

    /// The ground of the whole screen.
    pub(crate) fn ground(self) -> Style {
        match self.name {
            ThemeName::Mono => Style::new(),
            ThemeName::Dark => Style::new().bg(self.colour((0x11, 0x16, 0x1c))).fg(self.colour(self.rgb(Role::Text))),
            ThemeName::Light => Style::new().bg(self.colour((0xf6, 0xf4, 0xee))).fg(self.colour(self.rgb(Role::Text))),
        }
    }

    /// The ground of what is chosen, or lies above the rest.
    pub(crate) fn raised(self) -> Style {
        match self.name {
            ThemeName::Mono => Style::new(),
            ThemeName::Dark => Style::new().bg(self.colour((0x1d, 0x27, 0x32))),
            ThemeName::Light => Style::new().bg(self.colour((0xe6, 0xe2, 0xd7))),
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
        let mono = Theme::new(ThemeName::Mono, true);
        for role in [Role::Text, Role::Fault, Role::Laid, Role::Guarded] {
            assert_eq!((mono.style(role).fg, mono.style(role).bg), (None, None));
        }
        assert_eq!((mono.ground().bg, mono.raised().bg), (None, None));
    }
}
