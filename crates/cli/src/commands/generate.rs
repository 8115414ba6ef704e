//! `daxle generate`: man pages and shell completions, from the same definitions as the help.

use clap::CommandFactory;
use daxle_files::{Trouble, write_file};

use super::Ended;
use crate::args::{Cli, Generate, GenerateArgs};
use crate::console::{Console, Failure};

pub(crate) fn run(args: &GenerateArgs, console: &Console) -> Result<Ended, Failure> {
    let mut command = Cli::command();
    match &args.what {
        Generate::Completions { shell } => {
            let mut out = Vec::new();
            clap_complete::generate(*shell, &mut command, "daxle", &mut out);
            console.raw(&out)?;
        }
        Generate::Man { into } => {
            std::fs::create_dir_all(into).map_err(|e| Trouble::io("make the folder", into, &e))?;
            command.build();
            let mut pages = vec![("daxle".to_string(), command.clone())];
            pages.extend(command.get_subcommands().map(|c| (format!("daxle-{}", c.get_name()), c.clone())));
            for (name, command) in pages.into_iter().filter(|(name, _)| name != "daxle-help") {
                let mut out = Vec::new();
                clap_mangen::Man::new(command).title(name.clone()).render(&mut out)?;
                write_file(&into.join(format!("{name}.1")), &out)?;
            }
            console.say(&format!("man pages are in {}", into.display()));
        }
    }
    Ok(Ended::Clean)
}
