//! What preflight checks.

use askama::Template;
use axum::response::Response;
use barometer_preflight::Rule;

use super::map::class_of;
use crate::access::RequestContext;
use crate::frame::{Frame, Stage};
use crate::page_error::PageError;
use crate::pages::page;

#[derive(Template)]
#[template(path = "strategy/rules.html")]
struct RulesPage {
    frame: Frame,
    rows: Vec<RuleRow>,
}

struct RuleRow {
    code: &'static str,
    class: &'static str,
    severity: &'static str,
    title: &'static str,
    about: &'static str,
}

/// `GET /strategy/rules`: every rule, the worst first.
pub(crate) async fn rules(context: RequestContext) -> Result<Response, PageError> {
    let mut rules = Rule::ALL.to_vec();
    rules.sort_by_key(|rule| std::cmp::Reverse(rule.severity()));
    let row = |rule: Rule| RuleRow {
        code: rule.code(),
        class: class_of(rule.severity()),
        severity: rule.severity().words(),
        title: rule.title(),
        about: rule.about(),
    };
    let rows = rules.into_iter().map(row).collect();
    page(&RulesPage { frame: Frame::of(&context, Stage::Strategy, None), rows })
}
