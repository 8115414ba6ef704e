//! `daxle forecast`: what a carry would give, without writing anything.

use daxle_core::carry::settle;
use daxle_core::carry::{CarryOptions, Inputs, Nowhere, carry};

use super::Ended;
use crate::answers::Answers;
use crate::args::{ForecastArgs, Format, Global, MemoryArgs};
use crate::config;
use crate::console::{Console, Failure};
use crate::notes::Notes;
use crate::progress::Progress;
use crate::show;
use crate::themes::Site;

pub(crate) fn run(args: &ForecastArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let config = config::read(global)?;
    let release = &args.release.release;
    let three = Site::open(&args.sources, &[release], &config)?.with_release(release, console)?;
    let progress = Progress::new(console, "forecasting");
    let inputs = Inputs {
        base: three.pair.base.tree(),
        site: three.pair.site.tree(),
        release: three.release.tree(),
        layout: &config.layout,
        themes: three.describe(&args.sources.site, None),
        vendor_notes: three.vendor_notes(),
        notes_on: Notes::read(&config, &args.sources.site)?.by_change(),
        progress: &|done, all| progress.at(done, all),
        unnamed: String::new(),
    };
    let mut account = carry(&inputs, &CarryOptions::from(&args.merging), &Nowhere)?;
    let answers = Answers::read(&MemoryArgs::default(), &config, &args.sources.site)?;
    settle::foretell(&mut account, &answers.memory);
    drop(progress);
    if global.format == Format::Json {
        console.json(&show::wire::Forecast::new(&account))?;
    } else {
        console.result(&show::forecast::text(&account))?;
    }
    Ok(Ended::open_if(account.totals.open > 0))
}
