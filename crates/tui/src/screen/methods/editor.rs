//! The editor of a method, or of the passes of one plan.

use jurex_look::field::{Field, Typed};
use jurex_pattern::choice::beside;
use jurex_pattern::method::{Catalogue, Method, Status, check_name};
use jurex_pattern::notation::{NotationError, Program};

/// The fields of the editor.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum EditField {
    Name,
    Title,
    Passes,
    Remark,
}

impl EditField {
    pub(super) const ALL: [EditField; 4] = [EditField::Name, EditField::Title, EditField::Passes, EditField::Remark];

    pub(super) fn label(self) -> &'static str {
        match self {
            EditField::Name => "name",
            EditField::Title => "title",
            EditField::Passes => "passes",
            EditField::Remark => "remark",
        }
    }
}

/// A method, or the passes of one plan, being edited.
pub(super) struct Editor {
    /// `None`: passes for a plan only, nothing is saved.
    pub(super) saves: Option<Saves>,
    pub(super) field: EditField,
    pub(super) inputs: [Field; 4],
    /// Whether leaving was tried once with changes unsaved.
    pub(super) leaving: bool,
    changed: bool,
    /// The fields that were typed in, and left: only those are complained of.
    judged: [bool; 4],
}

/// How an edited method is saved.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Saves {
    /// The own method that it replaces.
    pub(super) replaces: Option<String>,
}

/// What is wrong with a field, so that nothing is saved.
#[derive(Debug, thiserror::Error)]
#[error("not saved ({}): {why}", field.label())]
pub(super) struct NotSaved {
    field: EditField,
    why: String,
}

impl Editor {
    fn new(saves: Option<Saves>, method: &Method, field: EditField) -> Self {
        let texts = [method.name.clone(), method.title.clone(), method.program.to_string(), method.remark.clone()];
        Self {
            saves,
            field,
            inputs: texts.map(|t| Field::of(&t).taking(MAX_NOTATION)),
            leaving: false,
            changed: false,
            judged: [false; 4],
        }
    }

    /// On passes for one plan.
    pub(super) fn of_passes(program: &Program) -> Self {
        Self::new(None, &Method { program: program.clone(), ..blank() }, EditField::Passes)
    }

    /// On a new method of one's own.
    pub(super) fn of_new() -> Self {
        Self::new(Some(Saves { replaces: None }), &blank(), EditField::Name)
    }

    /// On a method of one's own; one of the library is copied first.
    pub(super) fn of_method(method: &Method) -> Self {
        if method.status == Status::Own {
            return Self::new(Some(Saves { replaces: Some(method.name.clone()) }), method, EditField::Passes);
        }
        let (name, title) = (format!("own-{}", method.name), format!("{}, changed", method.title));
        let copy = Method { name, title, ..method.clone() };
        Self::new(Some(Saves { replaces: None }), &copy, EditField::Name)
    }

    /// Something is typed into the open field.
    pub(super) fn type_in(&mut self, typed: &Typed<'_>) {
        self.leaving = false;
        let changed = self.inputs[self.field as usize].take(typed);
        self.changed |= changed;
        // The passes are read as they are typed; a name or a title is half of one until it is left.
        self.judged[self.field as usize] |= changed && self.field == EditField::Passes;
    }

    /// Whether what is wrong with a field is said: once something was typed into it, or it was left.
    pub(super) fn is_judged(&self, field: EditField) -> bool {
        self.judged[field as usize]
    }

    pub(super) fn next_field(&mut self, forwards: bool) {
        self.leaving = false;
        self.judged[self.field as usize] = true;
        self.field = beside(self.fields(), self.field, forwards);
    }

    /// Whether there are changes that would be lost; asked a second time, they may be.
    pub(super) fn asks_before_leaving(&mut self) -> bool {
        self.changed && !std::mem::replace(&mut self.leaving, true)
    }

    /// The passes, if nothing in any field is wrong.
    pub(super) fn checked(&mut self, catalogue: &Catalogue) -> Result<Program, NotSaved> {
        self.judged = [true; 4];
        match self.fields().iter().find_map(|f| Some((*f, self.problem(*f, catalogue)?))) {
            Some((field, why)) => Err(NotSaved { field, why }),
            None => self.program().map_err(|e| NotSaved { field: EditField::Passes, why: e.to_string() }),
        }
    }

    /// The method as it is edited, with these passes.
    pub(super) fn method(&self, program: Program) -> Method {
        let text = |field| self.text(field).trim().to_string();
        let (name, title, remark) = (text(EditField::Name), text(EditField::Title), text(EditField::Remark));
        Method { name, title, program, remark, ..blank() }
    }

    pub(super) fn text(&self, field: EditField) -> &str {
        self.inputs[field as usize].value()
    }

    /// The fields that are edited here.
    pub(super) fn fields(&self) -> &'static [EditField] {
        if self.saves.is_some() { &EditField::ALL } else { &[EditField::Passes] }
    }

    /// The passes, or what is wrong with them and where.
    pub(super) fn program(&self) -> Result<Program, NotationError> {
        self.text(EditField::Passes).parse()
    }

    /// What is wrong with a field; `None` if nothing.
    pub(super) fn problem(&self, field: EditField, catalogue: &Catalogue) -> Option<String> {
        match field {
            EditField::Name => {
                let name = self.text(EditField::Name);
                let own = self.saves.as_ref().and_then(|s| s.replaces.as_deref());
                match catalogue.find(name).filter(|m| own != Some(m.name.as_str())) {
                    Some(m) if m.status != Status::Own => Some(format!("`{name}` is a method of the library")),
                    Some(_) => Some(format!("there is already a method called `{name}`")),
                    None => check_name(name).err().map(|e| e.to_string()),
                }
            }
            EditField::Title => self.text(field).trim().is_empty().then(|| "give it a title that people can read".into()),
            EditField::Passes => self.program().err().map(|e| e.to_string()),
            EditField::Remark => None,
        }
    }
}

/// Longest notation that a field takes.
const MAX_NOTATION: usize = 2000;

fn blank() -> Method {
    Method {
        name: String::new(),
        title: String::new(),
        issuer: String::new(),
        document: String::new(),
        year: None,
        status: Status::Own,
        program: "00?".parse().expect("one pass parses"),
        remark: String::new(),
    }
}
