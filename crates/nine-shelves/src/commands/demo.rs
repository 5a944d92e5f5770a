//! `nine demo`: the sample world, and a walk through the job in it.

use std::path::PathBuf;

use clap::Args;

/// Make the sample world and walk through the whole job
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine demo                     in a new folder under the system's temporary folder\n  nine demo ~/tern-quay         in a folder of your own; it must be new or empty\n  nine demo ~/tern-quay --serve its cloud drive, to go on with by yourself"
)]
pub struct DemoArgs {
    /// Where to make the sample world
    #[arg(value_name = "FOLDER")]
    pub folder: Option<PathBuf>,
    /// Only make the world and say where it is
    #[arg(long)]
    pub only_make: bool,
    /// Serve the cloud drive of a world that was made before, until it is interrupted
    #[arg(long, conflicts_with = "only_make")]
    pub serve: bool,
}
