//! The designer's own formulas, checked once at their definition.

use super::resolve::{Compiler, Resolver};
use super::scope::Scope;
use super::tree::{Read, Tree, TreeKind};
use crate::rules::{FunctionRule, Named};
use crate::text::{Code, Diagnostic};

impl Compiler<'_> {
    /// Checks the designer's own formulas at their definition. Wrong ones are remembered, so that their callers are not
    /// reported.
    pub(crate) fn check_functions(&mut self) {
        for index in 0..self.functions.len() {
            self.broken[index] |= self.functions[index].rule.is.is_none();
        }
        self.find_function_cycles();
        let sites = (self.program.sites.len(), self.site_names.len());
        for index in 0..self.functions.len() {
            let rule = &self.functions[index].rule;
            let Some(body) = rule.is.as_ref().filter(|_| !self.broken[index]) else { continue };
            let before = self.out.any_error();
            let arguments = rule.args.iter().enumerate().map(|(i, arg)| {
                let read = TreeKind::Read(Read::Local(i as u16));
                (arg.text.clone(), Tree { kind: read, range: 0..0, called: true })
            });
            let arguments = arguments.collect();
            let mut resolver = Resolver {
                compiler: self,
                formula: body,
                scope: if rule.game { Scope::STAND_IN } else { Scope::FUNCTION },
                called: vec![],
                arguments,
                next_local: 0,
                quiet: false,
                put_in: 0,
            };
            let fine = resolver.expr(&body.expr).is_some();
            self.broken[index] = !fine || (!before && self.out.any_error());
        }
        // Random streams belong to the use of a formula, not to its definition.
        self.program.sites.truncate(sites.0);
        self.site_names.truncate(sites.1);
    }

    fn find_function_cycles(&mut self) {
        let calls: Vec<Vec<usize>> = self.functions.iter().map(|named| self.calls_of(named)).collect();
        for start in 0..calls.len() {
            let mut path = vec![start];
            if !self.broken[start] && closes(&calls, start, &mut path) {
                let names: Vec<String> = path.iter().map(|i| format!("`{}`", self.functions[*i].name)).collect();
                let message = format!("formulas call each other in a circle: {} → {}", names.join(" → "), names[0]);
                self.out.push(Diagnostic::at(Code::FunctionCycle, self.functions[start].span, message));
                path.iter().for_each(|i| self.broken[*i] = true);
            }
        }
    }

    fn calls_of(&self, named: &Named<FunctionRule>) -> Vec<usize> {
        let mut calls = Vec::new();
        if let Some(body) = &named.rule.is {
            body.expr.each_call(&mut |name| calls.extend(self.names.functions.get(name)));
        }
        calls
    }
}

/// Whether a walk from the end of `path` returns to `start`; `path` is then the cycle.
fn closes(edges: &[Vec<usize>], start: usize, path: &mut Vec<usize>) -> bool {
    let mut seen = vec![false; edges.len()];
    walk(edges, start, path, &mut seen)
}

fn walk(edges: &[Vec<usize>], start: usize, path: &mut Vec<usize>, seen: &mut [bool]) -> bool {
    let Some(&last) = path.last() else { return false };
    for &next in &edges[last] {
        if next == start {
            return true;
        }
        if !std::mem::replace(&mut seen[next], true) {
            path.push(next);
            if walk(edges, start, path, seen) {
                return true;
            }
            path.pop();
        }
    }
    false
}

/// Finds a cycle among `edges` from any start; used wherever rules may refer to each other.
pub(crate) fn find_circle(edges: &[Vec<usize>]) -> Option<Vec<usize>> {
    (0..edges.len()).find_map(|start| {
        let mut path = vec![start];
        closes(edges, start, &mut path).then_some(path)
    })
}
