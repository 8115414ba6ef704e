//! Daxle on the command line: parse, dispatch, print the error, exit code.

mod answers;
mod args;
mod carried;
mod changesets;
mod children;
mod commands;
mod config;
mod console;
mod exports;
mod notes;
mod progress;
mod report;
mod screen;
mod show;
mod stock;
mod themes;

use std::process::ExitCode;

use clap::Parser;

use args::{Cli, Command};
use commands::Ended;
use console::Console;

fn main() -> ExitCode {
    let cli = Cli::parse();
    let console = Console::new(&cli.global);
    start_log(cli.global.verbose);
    match run(cli, &console) {
        Ok(Ended::Clean) => ExitCode::SUCCESS,
        Ok(Ended::Open) => ExitCode::from(1),
        Err(trouble) => {
            // A reader that went away is not our trouble.
            if trouble.is_broken_pipe() {
                return ExitCode::SUCCESS;
            }
            console.error(&trouble);
            ExitCode::from(2)
        }
    }
}

fn run(cli: Cli, console: &Console) -> Result<Ended, console::Failure> {
    if let Some(threads) = cli.global.threads {
        // Fails only when set twice.
        let _ = rayon::ThreadPoolBuilder::new().num_threads(threads).build_global();
    }
    match cli.command {
        Command::Demo(args) => commands::demo::run(args, &cli.global, console),
        Command::Survey(args) => commands::survey::run(&args, &cli.global, console),
        Command::Separate(args) => commands::separate::run(&args, &cli.global, console),
        Command::Forecast(args) => commands::forecast::run(&args, &cli.global, console),
        Command::Carry(args) => commands::carry::run(&args, &cli.global, console),
        Command::Settle(args) => commands::settle::run(&args, &cli.global, console),
        Command::Verify(args) => commands::verify::run(&args, &cli.global, console),
        Command::Report(args) => commands::report::run(&args, &cli.global, console),
        Command::Pack(args) => commands::pack::run(&args, &cli.global, console),
        Command::Place(args) => commands::place::place(&args, &cli.global, console),
        Command::Rollback(args) => commands::place::rollback(&args, &cli.global, console),
        Command::Sweep(args) => commands::place::sweep(&args, &cli.global, console),
        Command::Stock(args) => commands::stock::run(&args, &cli.global, console),
        Command::Child(args) => commands::child::run(&args, &cli.global, console),
        Command::Settings(args) => commands::settings::run(&args, &cli.global, console),
        Command::Catalog(args) => commands::catalog::run(&args, &cli.global, console),
        Command::Note(args) => commands::note::run(&args, &cli.global, console),
        Command::Init(args) => commands::init::run(&args, &cli.global, console),
        Command::Generate(args) => commands::generate::run(&args, console),
    }
}

/// Sends tracing to stderr, as much as `-v` asks for.
fn start_log(verbose: u8) {
    let level = match verbose {
        0 => return,
        1 => tracing::Level::INFO,
        2 => tracing::Level::DEBUG,
        _ => tracing::Level::TRACE,
    };
    tracing_subscriber::fmt().with_writer(std::io::stderr).with_max_level(level).without_time().init();
}
