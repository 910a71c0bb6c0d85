//! Filling in the fields of a lane's certificate.

use super::Lane;
use super::papers::{Form, PaperField, next_backup, next_category};
use super::stage::LaneStage;
use jurex_look::field::{Field, Typed};
use jurex_pattern::choice::place_beside;
use ratatui::crossterm::event::{KeyCode, KeyEvent};

impl Lane {
    /// The form, where there is a record to sign for.
    pub(crate) fn form(&self) -> Option<&Form> {
        match &self.stage {
            LaneStage::Over(over) => Some(&over.form),
            _ => None,
        }
    }

    /// The field that is being edited.
    pub(crate) fn asked(&self) -> Option<PaperField> {
        self.form()?.focus.map(|at| PaperField::ALL[at])
    }

    /// Goes to the next field, or to the one before.
    pub(crate) fn next_field(&mut self, forwards: bool) {
        self.store_field();
        let LaneStage::Over(over) = &mut self.stage else { return };
        let all = PaperField::ALL.len();
        let next = match over.form.focus {
            None if forwards => 0,
            None => all - 1,
            Some(at) => place_beside(at, all, forwards),
        };
        over.form = Form { focus: Some(next), input: Field::of(&PaperField::ALL[next].shown(&self.papers)) };
    }

    /// Leaves the form; what was typed stays.
    pub(crate) fn leave_field(&mut self) {
        self.store_field();
        if let LaneStage::Over(over) = &mut self.stage {
            over.form.focus = None;
        }
    }

    /// Changes the field that is open. A choice is turned by the space bar.
    pub(crate) fn type_in_form(&mut self, typed: &Typed<'_>) {
        let turns = matches!(typed, Typed::Key(KeyEvent { code: KeyCode::Char(' '), .. }));
        match self.asked() {
            Some(PaperField::Backup) if turns => self.papers.backup = next_backup(self.papers.backup),
            Some(PaperField::CategoryAfter) if turns => self.papers.category_after = next_category(self.papers.category_after),
            Some(field) if !field.is_choice() => {
                if let LaneStage::Over(over) = &mut self.stage {
                    over.form.input.take(typed);
                }
                self.store_field();
            }
            Some(_) | None => {}
        }
    }

    fn store_field(&mut self) {
        let (Some(field), LaneStage::Over(over)) = (self.asked(), &self.stage) else { return };
        if let Some(text) = field.text(&mut self.papers) {
            *text = over.form.input.value().to_string();
        }
    }
}
