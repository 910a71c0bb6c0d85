//! The methods page: the library with search, and the editor of methods and passes.

pub(in crate::tui) mod view;

use crate::tui::action::Action;
use crate::tui::state::{App, Command, Page};
use crate::tui::widget::field::{Field, Typed};
use jurex_core::method::{Catalogue, Method, Status, check_name};
use jurex_core::notation::{NotationError, Program};
use jurex_core::text::capital;
use std::path::PathBuf;

/// What a chosen method is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Target {
    /// Only to be read.
    Nothing,
    /// The plan of this lane.
    Lane(usize),
    /// The row of the lot page that was chosen there.
    Lot,
}

/// The page.
pub(crate) struct MethodsPage {
    pub(crate) target: Target,
    /// What is searched for; being typed while `typing`.
    pub(crate) search: Field,
    pub(crate) typing: Typing,
    /// Place in what was found.
    pub(crate) cursor: usize,
    pub(crate) editor: Option<Editor>,
    /// The page to go back to.
    pub(crate) from: Page,
}

/// What letters go into.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Typing {
    Nothing,
    Search,
    /// Name of a file to write to.
    Export(Field),
    /// Name of a file to take in.
    Import(Field),
    /// Take away the chosen method? Asked.
    Delete,
}

/// The fields of the editor.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum EditField {
    Name,
    Title,
    Passes,
    Remark,
}

impl EditField {
    pub(crate) const ALL: [EditField; 4] = [EditField::Name, EditField::Title, EditField::Passes, EditField::Remark];

    pub(crate) fn label(self) -> &'static str {
        match self {
            EditField::Name => "name",
            EditField::Title => "title",
            EditField::Passes => "passes",
            EditField::Remark => "remark",
        }
    }
}

/// A method, or the passes of one plan, being edited.
pub(crate) struct Editor {
    /// `None`: passes for a plan only, nothing is saved.
    pub(crate) saves: Option<Saves>,
    pub(crate) field: EditField,
    pub(crate) inputs: [Field; 4],
    /// Whether leaving was tried once with changes unsaved.
    pub(crate) leaving: bool,
    changed: bool,
}

/// How an edited method is saved.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Saves {
    /// The own method that it replaces.
    pub(crate) replaces: Option<String>,
}

impl Editor {
    fn new(saves: Option<Saves>, method: &Method, field: EditField) -> Self {
        let texts = [method.name.clone(), method.title.clone(), method.program.to_string(), method.remark.clone()];
        Self { saves, field, inputs: texts.map(|t| Field::of(&t).taking(MOST_NOTATION)), leaving: false, changed: false }
    }

    pub(crate) fn text(&self, field: EditField) -> &str {
        self.inputs[field as usize].value()
    }

    /// The fields that are edited here.
    pub(crate) fn fields(&self) -> &'static [EditField] {
        if self.saves.is_some() { &EditField::ALL } else { &[EditField::Passes] }
    }

    /// The passes, or what is wrong with them and where.
    pub(crate) fn program(&self) -> Result<Program, NotationError> {
        self.text(EditField::Passes).parse()
    }

    /// What is wrong with a field; `None` if nothing.
    pub(crate) fn problem(&self, field: EditField, catalogue: &Catalogue) -> Option<String> {
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

impl MethodsPage {
    /// The methods that the search finds.
    pub(crate) fn found<'c>(&self, catalogue: &'c Catalogue) -> Vec<&'c Method> {
        catalogue.search(self.search.value())
    }

    /// The chosen method.
    pub(crate) fn chosen<'c>(&self, catalogue: &'c Catalogue) -> Option<&'c Method> {
        self.found(catalogue).get(self.cursor).copied()
    }
}

impl App {
    pub(in crate::tui) fn open_methods(&mut self, target: Target) {
        let from = std::mem::replace(&mut self.page, Page::Bench);
        let of_lane = match target {
            Target::Lane(lane) => self.lanes.get(lane).and_then(|l| l.draft.method.as_ref()),
            Target::Nothing | Target::Lot => None,
        };
        let cursor = of_lane.and_then(|m| self.catalogue.methods().iter().position(|c| c.name == m.name)).unwrap_or(0);
        let page = MethodsPage { target, search: Field::default(), typing: Typing::Nothing, cursor, editor: None, from };
        self.page = Page::Methods(Box::new(page));
    }

    /// Opens the editor on the passes of the chosen lane's plan.
    pub(in crate::tui) fn edit_passes(&mut self) {
        let index = self.selected;
        self.open_methods(Target::Lane(index));
        let Some(lane) = self.lanes.get(index) else { return };
        let method = Method { program: lane.draft.order.program.clone(), ..blank() };
        if let Page::Methods(page) = &mut self.page {
            page.editor = Some(Editor::new(None, &method, EditField::Passes));
        }
    }

    fn leave_methods(&mut self) {
        if let Page::Methods(page) = std::mem::replace(&mut self.page, Page::Bench) {
            self.page = page.from;
        }
    }

    pub(in crate::tui) fn perform_on_methods(&mut self, action: Action) -> Vec<Command> {
        let Page::Methods(page) = &mut self.page else { return vec![] };
        if page.editor.is_some() {
            return self.perform_in_editor(action);
        }
        let found = page.found(&self.catalogue).len();
        match action {
            Action::Back if page.typing == Typing::Nothing => self.leave_methods(),
            Action::Back => {
                if page.typing == Typing::Search {
                    page.search.clear();
                }
                page.typing = Typing::Nothing;
            }
            Action::Take => return self.typed(),
            Action::RowBefore => page.cursor = page.cursor.saturating_sub(1),
            Action::RowAfter => page.cursor = (page.cursor + 1).min(found.saturating_sub(1)),
            Action::First => page.cursor = 0,
            Action::Last => page.cursor = found.saturating_sub(1),
            Action::TakeMethod => return self.take_method(),
            Action::SearchMethods => {
                page.search.clear();
                (page.typing, page.cursor) = (Typing::Search, 0);
            }
            Action::NewMethod => page.editor = Some(Editor::new(Some(Saves { replaces: None }), &blank(), EditField::Name)),
            Action::EditMethod => self.edit_method(),
            Action::DeleteMethod => page.typing = Typing::Delete,
            Action::ConfirmDelete => return self.delete_method(),
            Action::ExportMethod => {
                let name = page.chosen(&self.catalogue).map(|m| format!("{}.toml", m.name)).unwrap_or_default();
                page.typing = Typing::Export(Field::of(&name));
            }
            Action::ImportMethods => page.typing = Typing::Import(Field::default()),
            _ => {}
        }
        vec![]
    }

    /// After a change of what is searched for the chosen row is still one.
    pub(in crate::tui) fn keep_cursor_in_list(&mut self) {
        if let Page::Methods(page) = &mut self.page {
            page.cursor = page.cursor.min(page.found(&self.catalogue).len().saturating_sub(1));
        }
    }

    /// Uses the chosen method for what the page was opened for.
    fn take_method(&mut self) -> Vec<Command> {
        let Page::Methods(page) = &self.page else { return vec![] };
        let Some(method) = page.chosen(&self.catalogue).cloned() else { return vec![] };
        match page.target {
            Target::Nothing => {}
            Target::Lane(lane) => {
                self.leave_methods();
                if let Some(lane) = self.lanes.get_mut(lane) {
                    lane.draft.take_method(&method);
                    lane.plan = None;
                }
            }
            Target::Lot => {
                self.leave_methods();
                self.lot_method(&method);
            }
        }
        vec![]
    }

    /// Edits a method of one's own; one of the library is copied first.
    fn edit_method(&mut self) {
        let Page::Methods(page) = &mut self.page else { return };
        let Some(method) = page.chosen(&self.catalogue) else { return };
        page.editor = Some(match method.status {
            Status::Own => Editor::new(Some(Saves { replaces: Some(method.name.clone()) }), method, EditField::Passes),
            _ => {
                let copy = Method {
                    name: format!("own-{}", method.name),
                    title: format!("{}, changed", method.title),
                    ..method.clone()
                };
                Editor::new(Some(Saves { replaces: None }), &copy, EditField::Name)
            }
        });
    }

    fn typed(&mut self) -> Vec<Command> {
        let Page::Methods(page) = &mut self.page else { return vec![] };
        match std::mem::replace(&mut page.typing, Typing::Nothing) {
            Typing::Search | Typing::Nothing => vec![],
            // Taking away is answered by its own letter, not by the key that a scanner sends.
            Typing::Delete => {
                page.typing = Typing::Delete;
                vec![]
            }
            Typing::Import(file) if !file.value().trim().is_empty() => {
                vec![Command::ImportMethods(PathBuf::from(file.value().trim()))]
            }
            Typing::Export(file) if !file.value().trim().is_empty() => {
                let methods = page.chosen(&self.catalogue).into_iter().cloned().collect();
                vec![Command::ExportMethods(methods, PathBuf::from(file.value().trim()))]
            }
            Typing::Import(_) | Typing::Export(_) => vec![],
        }
    }

    fn delete_method(&mut self) -> Vec<Command> {
        let Page::Methods(page) = &mut self.page else { return vec![] };
        page.typing = Typing::Nothing;
        let Some(name) = page.chosen(&self.catalogue).map(|m| m.name.clone()) else { return vec![] };
        let mut without = self.catalogue.clone();
        without.remove(&name);
        vec![Command::SaveMethods(without, format!("`{name}` was taken away."))]
    }

    fn perform_in_editor(&mut self, action: Action) -> Vec<Command> {
        let Page::Methods(page) = &mut self.page else { return vec![] };
        let Some(editor) = page.editor.as_mut() else { return vec![] };
        let fields = editor.fields();
        let at = fields.iter().position(|f| *f == editor.field).unwrap_or(0);
        match action {
            Action::Back if editor.changed && !editor.leaving => {
                editor.leaving = true;
                self.notice = Some("Your changes are not saved: Esc again leaves them behind, any other key goes on.".into());
                return vec![];
            }
            Action::Back => {
                let only_passes = editor.saves.is_none();
                page.editor = None;
                if only_passes {
                    self.leave_methods();
                }
                return vec![];
            }
            Action::Take => return self.save_edited(),
            Action::FieldAfter => editor.field = fields[(at + 1) % fields.len()],
            Action::FieldBefore => editor.field = fields[(at + fields.len() - 1) % fields.len()],
            _ => {}
        }
        editor.leaving = false;
        vec![]
    }

    /// Something is typed into the editor's open field.
    pub(in crate::tui) fn edit_method_field(&mut self, typed: &Typed<'_>) {
        let Page::Methods(page) = &mut self.page else { return };
        let Some(editor) = page.editor.as_mut() else { return };
        editor.leaving = false;
        editor.changed |= editor.inputs[editor.field as usize].take(typed);
    }

    fn save_edited(&mut self) -> Vec<Command> {
        let Page::Methods(page) = &mut self.page else { return vec![] };
        let Some(editor) = page.editor.as_ref() else { return vec![] };
        let problem = editor.fields().iter().find_map(|f| Some((*f, editor.problem(*f, &self.catalogue)?)));
        let program = match (problem, editor.program()) {
            (None, Ok(program)) => program,
            (Some((field, why)), _) => {
                self.notice = Some(format!("Not saved ({}): {why}.", field.label()));
                return vec![];
            }
            (None, Err(_)) => return vec![],
        };
        let Some(saves) = editor.saves.clone() else {
            let target = page.target;
            self.leave_methods();
            if let Target::Lane(lane) = target
                && let Some(lane) = self.lanes.get_mut(lane)
            {
                lane.draft.take_passes(program);
                lane.plan = None;
            }
            return vec![];
        };
        let text = |field| editor.text(field).trim().to_string();
        let (name, title, remark) = (text(EditField::Name), text(EditField::Title), text(EditField::Remark));
        let method = Method { name: name.clone(), title, program, remark, ..blank() };
        let mut with = self.catalogue.clone();
        if let Some(old) = &saves.replaces {
            with.remove(old);
        }
        match with.add(method) {
            Ok(()) => vec![Command::SaveMethods(with, format!("`{name}` is saved in config.toml."))],
            Err(e) => {
                self.notice = Some(format!("{}.", capital(&e.to_string())));
                vec![]
            }
        }
    }

    /// Methods were saved, or could not be: then the editor stays as it is, nothing is lost.
    pub(in crate::tui) fn methods_saved(&mut self, saved: Result<(Catalogue, String), String>) {
        match saved {
            Ok((catalogue, said)) => {
                let page = if let Page::Methods(page) = &mut self.page { Some(page) } else { None };
                if let Some(page) = page {
                    let edited = page.editor.take().map(|e| e.text(EditField::Name).trim().to_string());
                    let at = edited.and_then(|name| page.found(&catalogue).iter().position(|m| m.is_called(&name)));
                    page.cursor = at.unwrap_or(page.cursor.min(page.found(&catalogue).len().saturating_sub(1)));
                }
                (self.catalogue, self.notice) = (catalogue, Some(said));
            }
            Err(why) => self.notice = Some(format!("{}.", capital(&why))),
        }
    }
}

/// Longest notation that a field takes.
const MOST_NOTATION: usize = 2000;

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
