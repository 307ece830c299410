//! The rules, each a mistake that people really make.

use serde::Serialize;

/// How bad it is that a rule is broken.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Severity {
    /// Nobody is hurt, but something is not as it seems.
    Note,
    /// Callers wait longer, or people work worse, than they need.
    Warning,
    /// Callers are lost, or stuck.
    Serious,
}

impl Severity {
    /// As planners say it.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Note => "note",
            Self::Warning => "warning",
            Self::Serious => "serious",
        }
    }
}

/// Every rule once: its name, code, severity, title, and why it matters.
macro_rules! rules {
    ($($name:ident, $code:literal, $severity:ident, $title:literal, $about:literal;)*) => {
        /// A mistake that preflight looks for.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize)]
        #[serde(rename_all = "snake_case")]
        #[expect(missing_docs, reason = "each says what it is about in `about`")]
        pub enum Rule {
            $($name,)*
        }

        impl Rule {
            /// All of them.
            pub const ALL: &[Self] = &[$(Self::$name,)*];

            /// By which files, waivers and pipelines refer to it.
            pub const fn code(self) -> &'static str {
                match self { $(Self::$name => $code,)* }
            }

            /// How bad it is.
            pub const fn severity(self) -> Severity {
                match self { $(Self::$name => Severity::$severity,)* }
            }

            /// What is wrong, in a line.
            pub const fn title(self) -> &'static str {
                match self { $(Self::$name => $title,)* }
            }

            /// Why it matters, and when it is found.
            pub const fn about(self) -> &'static str {
                match self { $(Self::$name => $about,)* }
            }
        }
    };
}

rules! {
    NobodyOnShift, "nobody-on-shift", Serious, "Contacts wait where nobody is on shift",
        "Contacts are admitted to a queue or hunt group in intervals in which none of its members is on shift, and no exit catches them. Found from the forecast, the opening hours and the cover.";
    NobodyMatches, "nobody-matches", Serious, "Nobody can answer",
        "No agent has the skills that a queue asks for, however long a contact waits, or none answers its channel.";
    NoEntry, "no-entry", Serious, "No entry receives a contact type",
        "A contact type is forecast, and no entry of the strategy names it or takes what others leave.";
    LeadsNowhere, "leads-nowhere", Serious, "An entry sends everybody away",
        "An entry leads straight to a release or the busy tone.";
    NeverOpen, "never-open", Serious, "Opening hours that are never open",
        "A gate is closed in every interval of the week, so nobody ever takes its open way.";
    ExitToNobody, "exit-to-nobody", Serious, "An exit leads where nobody is on shift",
        "An overflow may be taken at a time when nobody is on shift where it leads, and nothing catches the contact there.";
    Loop, "loop", Serious, "An exit leads back",
        "The exit of a queue or hunt group leads back to the same step, at once or over others: a contact goes round until its patience ends.";
    LimitWithoutExit, "limit-without-exit", Serious, "A limit without an exit",
        "There is a limit of places or a longest wait, and its exit keeps the contact: the limit does nothing.";
    GroupLimitTooShort, "limit-before-all-rang", Serious, "Time is over before everybody has rung",
        "With the ring windows and gaps as they are, the group limit or longest wait ends before every member on shift has rung for a full window. Found by walking a contact that nobody answers.";
    NoAnswerTooEarly, "no-answer-before-all-rang", Serious, "“No answer” before everybody has rung",
        "Offers without an answer are counted, and the count ends before every member on shift was offered the contact once.";
    RingsPastPatience, "rings-past-patience", Warning, "Ringing outlasts patience",
        "Members ring one after the other, and by the time the last one on shift rings fewer than half of the callers are still there.";
    WindowTooShort, "window-too-short", Serious, "A ring window shorter than people need to answer",
        "More than half of all rings end before the member would have answered.";
    AfterTheLimit, "after-the-limit", Warning, "Something planned for after the limit",
        "A wave, relaxation, announcement or callback offer begins when the longest wait or group limit is over, so it never happens.";
    NoLimit, "no-limit", Warning, "Neither places nor a longest wait",
        "A queue or hunt group takes any number of contacts for any time, without a callback: on a bad day the only way out is to hang up.";
    LimitBeyondPatience, "limit-beyond-patience", Note, "A longest wait that nobody lives to see",
        "Fewer than one caller in a hundred would still wait when the longest wait is over.";
    OneCarriesIt, "one-carries-it", Warning, "One person carries a skill level",
        "A queue asks for a level that a single agent has, while others have the skill at a lower level.";
    RelaxationAddsNobody, "relaxation-adds-nobody", Note, "A relaxation that adds nobody",
        "A queue asks for less after a while, and the same people match as before.";
    OneAtATime, "one-at-a-time", Warning, "One contact at a time",
        "Contacts are offered one after the other though several members are on shift: the others wait while one phone rings.";
    SecondCall, "second-call", Warning, "Calls for people who are on a call",
        "Members on a contact are offered a second one. Most of these rings end unanswered, and both callers notice.";
    RingsTooMany, "rings-too-many", Warning, "More phones at once than a switch rings",
        "All members ring at once, and there are more than twenty of them on shift without a limit of devices.";
    RingsTheAbsent, "rings-the-absent", Warning, "Phones of people who are not there",
        "Devices of members off shift ring too, one after the other: each takes a ring window that nobody answers.";
    RankOverload, "rank-overload", Warning, "The first rank is run too hard",
        "Nearly all contacts go to the first rank, which is busier than people can hold, while a lower rank has time.";
    ClosedWhileStaffed, "closed-while-staffed", Warning, "Closed while people are on shift",
        "A gate turns contacts away in intervals in which people who would answer them are on shift.";
    OtherZone, "other-zone", Warning, "Hours in another time zone",
        "A gate's hours are in a zone whose clock differs from the centre's.";
    CallbackAfterClosing, "callback-after-closing", Serious, "Callbacks promised for after closing",
        "A promised callback falls due when nobody who calls back is on shift: the promise is broken.";
    RetriesTooClose, "retries-too-close", Note, "Attempts too close together",
        "A customer who did not answer a callback is called again within five minutes.";
    MessageNobodyHears, "message-nobody-hears", Warning, "Messages that nobody hears",
        "A voicemail takes messages that become no work for anybody.";
    WrapUpTwice, "wrap-up-twice", Warning, "Wrap-up counted twice",
        "A least wrap-up is set for contacts whose handle time includes wrap-up already.";
    ChatsOneAtATime, "chats-one-at-a-time", Warning, "Chats counted like calls",
        "A contact type is planned with several chats at once, and the team that answers it holds one.";
    ChatsCutOff, "chats-cut-off", Serious, "Chats that are cut off",
        "When an agent signs out, chats at hand end without an answer.";
    PointlessOverflow, "pointless-overflow", Warning, "An overflow to the same people",
        "An exit leads to a queue or hunt group with the very same members: the contact loses its place and gains nobody.";
    MorePlacesThanLines, "more-places-than-lines", Warning, "More places than lines",
        "A queue holds more waiting calls than there are telephone lines for.";
    NothingLeadsHere, "nothing-leads-here", Note, "No way leads here",
        "No contact can reach this step from any entry.";
    NeverRouted, "never-routed", Note, "A route that is never taken",
        "An earlier route of the same step takes all contacts with this label.";
    ListedTwice, "listed-twice", Note, "A member listed twice",
        "A hunt group names the same team or agent twice; only the first line counts.";
    NeverDials, "never-dials", Serious, "A campaign without hours",
        "A campaign that is not paused has no hours in the whole period, so that nobody on its list is called.";
    ZoneNeverCalled, "zone-never-called", Warning, "People who can never be called",
        "The campaign's hours and the hours in which people of a time zone may be called, by their own clocks, have no minute in common.";
    NobodyToTalk, "nobody-to-talk", Serious, "A campaign dials while none of its agents is on shift",
        "In no interval of its hours is anybody on shift who could talk to those who answer.";
    OverTheCeiling, "over-the-ceiling", Serious, "Dialling too fast for the ceiling",
        "With as many lines for each free agent as are set, and the fewest agents on shift, more calls are abandoned than the ceiling allows. Found by the exact chain of steady pacing, as if its agents took no inbound contacts.";
    FewForPredictive, "few-for-predictive", Note, "Predictive pacing for a small team",
        "With fewer than ten agents on shift it is hard to foretell when one of them is free.";
    MoreLinesThanThereAre, "more-lines-than-there-are", Warning, "More lines than there are",
        "A campaign may use more lines at once than the centre has.";
    StarvesInbound, "starves-inbound", Serious, "Agents who never take an inbound contact",
        "A pacing that keeps an agent for each call takes everybody who becomes free, and its agents answer inbound contacts as well.";
    KeepsEverybody, "keeps-everybody", Serious, "All agents kept for a campaign",
        "At times no more agents are on shift than are kept for a campaign's calls, and inbound contacts wait for the same agents.";
    CompetesWithInbound, "competes-with-inbound", Warning, "A campaign that does not give way",
        "A campaign dials for agents who take inbound contacts, without leaving any of them free and without a pause when contacts wait or the service level is low.";
    OutsideLocalWindow, "outside-local-window", Serious, "Calls at an hour when people sleep",
        "People may be called before 8:00 or after 21:00 by their own clocks.";
    HangsUpOnPeople, "hangs-up-on-people", Warning, "Detection that hangs up on people",
        "Answering-machine detection takes so many people for machines that this alone is more than half of what may be abandoned.";
    DetectionTooSlow, "detection-too-slow", Serious, "Detection slower than an agent must be",
        "Detection decides after the time within which an agent must be connected.";
    CallsTooClose, "calls-too-close", Warning, "Calls too close together",
        "A person who was not reached is called again within five minutes of a busy line, or within the hour of anything else.";
    CallsTooOften, "calls-too-often", Warning, "Called too often in a day",
        "One person may be called four times or more in a day.";
    CannotBeCalledBack, "cannot-be-called-back", Warning, "A campaign that nobody can call back",
        "A campaign shows no number, or one that no entry has, while entries have numbers: people who missed its call cannot call back.";
    WornNumbers, "worn-numbers", Warning, "Numbers that are shown too often",
        "A campaign makes more calls in a day than its numbers are good for: people know them, or their networks call them unwanted, and fewer answer.";
    DialledByHandBeside, "dialled-by-hand-beside", Warning, "Calls by hand beside the pacing",
        "Agents of a campaign may dial by hand while its pacing dials for them: such calls count towards no ceiling, and the pacing takes agents for free who are not.";
    NumberTwice, "number-twice", Serious, "A number that two things have",
        "Two entries, lines or agents have the same number: a call to it reaches one of them only.";
    NumberHidden, "number-hidden", Serious, "A number that cannot be dialled",
        "The number of a line or an agent begins with the whole number of another one, which is reached before the rest is dialled.";
    RangesOverlap, "ranges-overlap", Warning, "Ranges of numbers that overlap",
        "Two ranges that are set aside for different purposes have numbers in common.";
    NumberOutsideRanges, "number-outside-ranges", Note, "A number outside its ranges",
        "Ranges are set aside for numbers of this kind, and this one is in none of them.";
    BlocksEverybody, "blocks-everybody", Serious, "An entry that blocks everybody",
        "A pattern of blocked callers fits every number there is.";
    MoreThanSeats, "more-than-seats", Warning, "More people than seats or licences",
        "More people are on shift at once than have a seat, or than may be signed in at the switch.";
    RecordedUntold, "recorded-untold", Warning, "Recorded without being told",
        "Conversations are recorded, and nothing is set by which callers are told before they talk.";
    RingsTooShort, "rings-too-short", Warning, "Given up before people can answer",
        "A line is released after fewer than twelve seconds of ringing.";
}

impl Rule {
    /// Whether it is about numbers and recordings, which change nothing for a contact on its way.
    pub const fn is_of_numbering(self) -> bool {
        matches!(
            self,
            Self::NumberTwice
                | Self::NumberHidden
                | Self::RangesOverlap
                | Self::NumberOutsideRanges
                | Self::RecordedUntold
        )
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::HashSet;

    #[test]
    fn every_code_is_one_of_its_own() {
        let codes: HashSet<&str> = Rule::ALL.iter().map(|rule| rule.code()).collect();
        assert_eq!(codes.len(), Rule::ALL.len());
    }
}
