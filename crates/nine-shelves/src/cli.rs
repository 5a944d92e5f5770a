//! The commands. What each takes stands with it in `commands/`, and what several take in `args.rs`.

use clap::{Parser, Subcommand};

use crate::args::Common;
use crate::commands::{
    archive::ArchiveArgs, carry::CarryArgs, check::CheckArgs, compare::CompareArgs, copies::CopiesArgs,
    demo::DemoArgs, discard::DiscardArgs, facet::FacetArgs, history::HistoryArgs, put::PutArgs,
    report::ReportArgs, retrieve::RetrieveArgs, review::ReviewArgs, routine::RoutineArgs, rule::RuleArgs,
    search::SearchArgs, setup::SetupArgs, shelves::ShelvesArgs, suggest::SuggestArgs, survey::SurveyArgs,
    sweep::SweepArgs, tag::TagArgs, tidy::TidyArgs, undo::UndoArgs, watch::WatchArgs, why::WhyArgs,
};

/// Clears a cluttered desktop, downloads folder and drive: rules file things onto numbered shelves,
/// everything is shown first, nothing is overwritten or deleted, and every run can be taken back.
#[derive(Debug, Parser)]
#[command(
    name = "nine",
    version,
    max_term_width = 100,
    after_help = "Alone it says what is where, and what to do next. Start with `nine setup`, which makes shelves and a configuration; `nine demo` shows it all in a sample world."
)]
pub struct Cli {
    #[command(flatten)]
    pub common: Common,
    #[command(subcommand)]
    pub command: Option<Command>,
}

#[derive(Debug, Subcommand)]
pub enum Command {
    Setup(SetupArgs),
    Rule(RuleArgs),
    Facet(FacetArgs),
    Suggest(SuggestArgs),
    Survey(SurveyArgs),
    Shelves(ShelvesArgs),
    Search(SearchArgs),
    Why(WhyArgs),
    Tag(TagArgs),
    Tidy(TidyArgs),
    Review(ReviewArgs),
    Sweep(SweepArgs),
    Archive(ArchiveArgs),
    Retrieve(RetrieveArgs),
    Put(PutArgs),
    Carry(CarryArgs),
    Copies(CopiesArgs),
    Compare(CompareArgs),
    Routine(RoutineArgs),
    Watch(WatchArgs),
    Report(ReportArgs),
    Discard(DiscardArgs),
    History(HistoryArgs),
    Undo(UndoArgs),
    Check(CheckArgs),
    Demo(DemoArgs),
    /// Reads what is inside files, for the program itself
    #[command(name = crate::session::READER, hide = true)]
    InsideReader,
}

#[cfg(test)]
mod tests {
    use clap::CommandFactory;

    #[test]
    fn the_definition_holds_together() {
        super::Cli::command().debug_assert();
    }
}
