//! Sows small changes into Rust files, all at once, each of which its number switches on: so that trying one costs a run of some tests,
//! and not a build.
//!
//!     jurex-mutants SKIPPED LIST ROOT FILE...
//!
//! SKIPPED: a file with the numbers that are left out, a line each; LIST: where the list goes (JSON); ROOT: a copy of the sources, whose
//! files are changed.

use proc_macro2::Span;
use quote::ToTokens;
use std::collections::{BTreeSet, HashSet};
use syn::spanned::Spanned;
use syn::visit::{self, Visit};
use syn::{BinOp, Expr, ReturnType, Type};

/// One small change: where, and what.
struct Change {
    id: u32,
    line: usize,
    function: String,
    what: String,
}

/// Text that goes in at a place; what ends there comes before what begins there, inner ends before outer ones.
struct Edit {
    at: usize,
    until: usize,
    begins: bool,
    depth: usize,
    text: String,
}

/// Walks through a file and gathers what is to be put where.
struct Sower<'a> {
    skipped: &'a HashSet<u32>,
    next: &'a mut u32,
    depth: usize,
    path: Vec<String>,
    edits: Vec<Edit>,
    changes: Vec<Change>,
}

/// Whether it belongs to tests.
fn is_test(attrs: &[syn::Attribute]) -> bool {
    attrs.iter().any(|a| {
        let text = a.to_token_stream().to_string();
        text.contains("cfg (test)") || text.contains("\"testing\"") || text == "# [test]"
    })
}

/// Whether a condition binds names: such a one can't stand in a macro.
fn has_let(e: &Expr) -> bool {
    struct Finds(bool);
    impl<'a> Visit<'a> for Finds {
        fn visit_expr_let(&mut self, _: &'a syn::ExprLet) {
            self.0 = true;
        }
        fn visit_expr_closure(&mut self, _: &'a syn::ExprClosure) {}
        fn visit_block(&mut self, _: &'a syn::Block) {}
    }
    let mut f = Finds(false);
    f.visit_expr(e);
    f.0
}

/// What a function may give in place of what it computes.
fn values(ty: &Type) -> Vec<&'static str> {
    let text = ty.to_token_stream().to_string();
    let last = match ty {
        Type::Path(p) => p.path.segments.last().map(|s| s.ident.to_string()).unwrap_or_default(),
        _ => String::new(),
    };
    match (ty, last.as_str()) {
        (Type::ImplTrait(_) | Type::Never(_), _) => vec![],
        (_, "bool") => vec!["true", "false"],
        (_, "u8" | "u16" | "u32" | "u64" | "u128" | "usize" | "i8" | "i16" | "i32" | "i64" | "i128" | "isize") => vec!["0", "1"],
        (_, "f32" | "f64") => vec!["0.0", "1.0"],
        (_, "Option") => vec!["None"],
        (_, "String") => vec!["String::new()", "\"xyzzy\".into()"],
        (_, "Vec") => vec!["Vec::new()"],
        (_, "Result") if text.contains("Result < ()") => vec!["Ok(())"],
        (_, "Result") if text.contains("Result < bool") => vec!["Ok(true)", "Ok(false)"],
        (_, "Result") => vec!["Ok(Default::default())"],
        (Type::Reference(r), _) if r.mutability.is_none() => match &*r.elem {
            Type::Path(p) if p.path.is_ident("str") => vec!["\"\"", "\"xyzzy\""],
            Type::Slice(_) => vec!["&[]"],
            _ => vec![],
        },
        (Type::Reference(_), _) => vec![],
        _ => vec!["Default::default()"],
    }
}

impl Sower<'_> {
    fn number(&mut self, span: Span, what: String) -> Option<u32> {
        *self.next += 1;
        let id = *self.next;
        if self.skipped.contains(&id) {
            return None;
        }
        self.changes.push(Change { id, line: span.start().line, function: self.path.join("::"), what });
        Some(id)
    }

    fn put(&mut self, at: usize, begins: bool, text: String) {
        self.edits.push(Edit { at, until: at, begins, depth: self.depth, text });
    }

    fn replace(&mut self, span: Span, text: String) {
        let r = span.byte_range();
        self.edits.push(Edit { at: r.start, until: r.end, begins: true, depth: self.depth, text });
    }

    fn body(&mut self, sig: &syn::Signature, block: &syn::Block) {
        let at = block.brace_token.span.open().byte_range().end;
        let all: Vec<&str> = match &sig.output {
            ReturnType::Default => vec![""],
            ReturnType::Type(_, ty) => values(ty),
        };
        if block.stmts.is_empty() {
            return;
        }
        // A function of one word that gives that very word is no other.
        let only = block.stmts.first().map(|s| s.to_token_stream().to_string()).filter(|_| block.stmts.len() == 1);
        for value in all {
            if only.as_deref() == Some(value) {
                continue;
            }
            let what = if value.is_empty() { "does nothing".to_string() } else { format!("gives {value}") };
            if let Some(id) = self.number(sig.ident.span(), what) {
                self.put(at, true, format!(" if crate::sown::on({id}) {{ return {value}; }}"));
            }
        }
    }

    fn function(&mut self, sig: &syn::Signature, block: &syn::Block) {
        if sig.constness.is_some() {
            return;
        }
        self.path.push(sig.ident.to_string());
        self.depth += 1;
        self.body(sig, block);
        self.visit_block(block);
        self.depth -= 1;
        self.path.pop();
    }
}

/// The kind of an operator, and what may stand in its place.
fn turned(op: &BinOp) -> Option<(&'static str, Vec<&'static str>)> {
    Some(match op {
        BinOp::Eq(_) => ("cmp", vec!["!="]),
        BinOp::Ne(_) => ("cmp", vec!["=="]),
        BinOp::Lt(_) => ("cmp", vec!["<=", ">"]),
        BinOp::Le(_) => ("cmp", vec!["<", ">"]),
        BinOp::Gt(_) => ("cmp", vec![">=", "<"]),
        BinOp::Ge(_) => ("cmp", vec![">", "<"]),
        BinOp::Add(_) => ("bin", vec!["-", "*"]),
        BinOp::Sub(_) => ("bin", vec!["+", "/"]),
        BinOp::Mul(_) => ("bin", vec!["+", "/"]),
        BinOp::Div(_) => ("bin", vec!["*", "%"]),
        BinOp::Rem(_) => ("bin", vec!["/", "+"]),
        BinOp::BitAnd(_) => ("bin", vec!["|", "^"]),
        BinOp::BitOr(_) => ("bin", vec!["&", "^"]),
        BinOp::BitXor(_) => ("bin", vec!["&", "|"]),
        BinOp::Shl(_) => ("bin", vec![">>"]),
        BinOp::Shr(_) => ("bin", vec!["<<"]),
        BinOp::And(_) => ("short", vec!["||"]),
        BinOp::Or(_) => ("short", vec!["&&"]),
        BinOp::AddAssign(_) => ("assign", vec!["-="]),
        BinOp::SubAssign(_) => ("assign", vec!["+="]),
        BinOp::MulAssign(_) => ("assign", vec!["+="]),
        BinOp::DivAssign(_) => ("assign", vec!["*="]),
        BinOp::BitAndAssign(_) => ("assign", vec!["|="]),
        BinOp::BitOrAssign(_) => ("assign", vec!["&="]),
        BinOp::BitXorAssign(_) => ("assign", vec!["|="]),
        _ => return None,
    })
}

impl<'ast> Visit<'ast> for Sower<'_> {
    fn visit_item_mod(&mut self, m: &'ast syn::ItemMod) {
        if !is_test(&m.attrs) && m.ident != "testing" && m.ident != "tests" {
            visit::visit_item_mod(self, m);
        }
    }
    fn visit_item_const(&mut self, _: &'ast syn::ItemConst) {}
    fn visit_item_static(&mut self, _: &'ast syn::ItemStatic) {}
    fn visit_impl_item_const(&mut self, _: &'ast syn::ImplItemConst) {}
    fn visit_trait_item_const(&mut self, _: &'ast syn::TraitItemConst) {}
    fn visit_type(&mut self, _: &'ast Type) {}
    fn visit_generic_argument(&mut self, _: &'ast syn::GenericArgument) {}
    fn visit_expr_const(&mut self, _: &'ast syn::ExprConst) {}
    fn visit_attribute(&mut self, _: &'ast syn::Attribute) {}
    fn visit_pat(&mut self, _: &'ast syn::Pat) {}
    fn visit_expr_repeat(&mut self, r: &'ast syn::ExprRepeat) {
        self.visit_expr(&r.expr);
    }
    fn visit_item_enum(&mut self, _: &'ast syn::ItemEnum) {}
    fn visit_item_fn(&mut self, f: &'ast syn::ItemFn) {
        if !is_test(&f.attrs) {
            self.function(&f.sig, &f.block);
        }
    }
    fn visit_impl_item_fn(&mut self, f: &'ast syn::ImplItemFn) {
        if !is_test(&f.attrs) {
            self.function(&f.sig, &f.block);
        }
    }
    fn visit_trait_item_fn(&mut self, f: &'ast syn::TraitItemFn) {
        if let Some(block) = &f.default {
            self.function(&f.sig, block);
        }
    }
    fn visit_item_impl(&mut self, i: &'ast syn::ItemImpl) {
        if is_test(&i.attrs) {
            return;
        }
        // What only shows a thing to programmers.
        if let Some((_, of, _)) = &i.trait_ {
            let name = of.segments.last().map(|s| s.ident.to_string()).unwrap_or_default();
            if name == "Debug" {
                return;
            }
        }
        self.path.push(i.self_ty.to_token_stream().to_string().replace(' ', ""));
        for item in &i.items {
            self.visit_impl_item(item);
        }
        self.path.pop();
    }
    fn visit_expr_binary(&mut self, b: &'ast syn::ExprBinary) {
        let lets = matches!(b.op, BinOp::And(_) | BinOp::Or(_)) && (has_let(&b.left) || has_let(&b.right));
        self.depth += 1;
        if let (Some((kind, others)), false) = (turned(&b.op), lets) {
            let own = b.op.to_token_stream().to_string();
            let mut rules = String::new();
            for other in others {
                if let Some(id) = self.number(b.op.span(), format!("{other} in place of {own}")) {
                    rules += &format!("{id} {other}; ");
                }
            }
            if !rules.is_empty() {
                let whole = b.span().byte_range();
                self.put(whole.start, true, format!("crate::sown::{kind}!({own}; {rules}("));
                self.replace(b.op.span(), "),(".into());
                self.put(whole.end, false, "))".into());
            }
        }
        visit::visit_expr_binary(self, b);
        self.depth -= 1;
    }
    fn visit_expr_unary(&mut self, u: &'ast syn::ExprUnary) {
        self.depth += 1;
        if let syn::UnOp::Not(not) = &u.op
            && let Some(id) = self.number(not.span(), "without !".into())
        {
            let whole = u.span().byte_range();
            self.replace(not.span(), format!("crate::sown::not!({id}; "));
            self.put(whole.end, false, ")".into());
        }
        visit::visit_expr_unary(self, u);
        self.depth -= 1;
    }
    fn visit_expr_match(&mut self, m: &'ast syn::ExprMatch) {
        let open = m.arms.iter().any(|a| a.guard.is_none() && matches!(a.pat, syn::Pat::Wild(_)));
        self.visit_expr(&m.expr);
        for arm in &m.arms {
            self.depth += 1;
            match &arm.guard {
                Some((_, guard)) if !has_let(guard) => {
                    let whole = guard.span().byte_range();
                    let mut rules = String::new();
                    for value in ["true", "false"] {
                        if let Some(id) = self.number(guard.span(), format!("guard is {value}")) {
                            rules += &format!("{id} {value}; ");
                        }
                    }
                    if !rules.is_empty() {
                        self.put(whole.start, true, format!("crate::sown::guard!({rules}"));
                        self.put(whole.end, false, ")".into());
                    }
                    self.visit_expr(guard);
                }
                Some((_, guard)) => self.visit_expr(guard),
                None if open && !matches!(arm.pat, syn::Pat::Wild(_)) => {
                    if let Some(id) = self.number(arm.pat.span(), "without this arm".into()) {
                        self.put(arm.pat.span().byte_range().end, false, format!(" if !crate::sown::on({id})"));
                    }
                }
                None => {}
            }
            self.visit_expr(&arm.body);
            self.depth -= 1;
        }
    }
}

fn main() {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let [skipped, list, root, files @ ..] = args.as_slice() else { panic!("jurex-mutants SKIPPED LIST ROOT FILE...") };
    let skipped: HashSet<u32> =
        std::fs::read_to_string(skipped).unwrap_or_default().lines().filter_map(|l| l.trim().parse().ok()).collect();
    let mut next = 0;
    let mut all = Vec::new();
    for file in files {
        let path = format!("{root}/{file}");
        let text = std::fs::read_to_string(&path).unwrap_or_else(|e| panic!("{path}: {e}"));
        let parsed = syn::parse_file(&text).unwrap_or_else(|e| panic!("{path}: {e}"));
        let mut sower = Sower { skipped: &skipped, next: &mut next, depth: 0, path: vec![], edits: vec![], changes: vec![] };
        sower.visit_file(&parsed);
        let Sower { mut edits, changes, .. } = sower;
        edits.sort_by_key(|e| (e.at, e.begins, if e.begins { e.depth as i64 } else { -(e.depth as i64) }));
        let mut out = String::new();
        let mut from = 0;
        for e in &edits {
            out += &text[from..e.at];
            out += &e.text;
            from = e.until;
        }
        out += &text[from..];
        std::fs::write(&path, out).unwrap();
        for c in changes {
            all.push(serde_json::json!({"id": c.id, "file": file, "line": c.line, "in": c.function, "what": c.what}));
        }
    }
    // The switch goes into each crate that has something sown in it.
    let crates: BTreeSet<&str> = files.iter().filter_map(|f| f.split("/src/").next()).collect();
    for one in crates {
        let path = format!("{root}/{one}/src/lib.rs");
        let text = std::fs::read_to_string(&path).unwrap();
        if text.contains("mod sown;") {
            continue;
        }
        let parsed = syn::parse_file(&text).unwrap();
        let at = parsed.items.first().map_or(0, |i| i.span().byte_range().start);
        let switch = format!("{root}/sown.rs");
        std::fs::write(&path, format!("{}#[path = {switch:?}] mod sown; {}", &text[..at], &text[at..])).unwrap();
    }
    std::fs::write(list, serde_json::to_string_pretty(&all).unwrap()).unwrap();
    println!("{} changes", all.len());
}
