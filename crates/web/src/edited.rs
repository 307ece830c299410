//! One rule for every form that changes what others may be changing too: it carries the version that it was filled in
//! from, and where somebody else saved meanwhile it comes back as it was typed, with who that was.

use barometer_store::{Save, SavedMeanwhile};

use crate::access::RequestContext;
use crate::words;

/// The save of this visitor, from the field `based_on` of a form. A form without one was filled in before anybody saved.
pub(crate) fn save(context: &RequestContext, based_on: &str) -> Save {
    Save::of(context.user.id, based_on.trim().parse().unwrap_or(0))
}

/// Beside the form: who saved first, and what becomes of what was typed. `differs` is how it differs from what they saved.
pub(crate) fn meanwhile(
    first: &SavedMeanwhile,
    context: &RequestContext,
    differs: &[String],
) -> String {
    let at = words::moment(first.at, &context.centre.zone);
    let differs = match differs {
        [] => String::new(),
        differs => format!(" Theirs → yours: {}.", differs.join(", ")),
    };
    format!(
        "{} saved this on {at}, after you had opened it. Yours is not saved yet: save again to put it in place of \
         theirs, or reload the page to see theirs.{differs}",
        who(first)
    )
}

/// Who it was.
pub(crate) fn who(first: &SavedMeanwhile) -> &str {
    first.by.as_deref().unwrap_or("Somebody else")
}
