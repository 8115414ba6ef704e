//! `daxle verify`: proof that every change is accounted for.

use super::{Ended, separate};
use crate::args::{Format, Global, VerifyArgs};
use crate::carried::Carried;
use crate::config;
use crate::console::{Console, Failure};
use crate::show::{self, wire};

pub(crate) fn run(args: &VerifyArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    if let Some(record) = separate::record_of(&args.carried) {
        return separate::verify(&args.carried, &record, global, console);
    }
    let config = config::read_for(global, &args.carried.dir)?;
    let mut carried = Carried::open(&args.carried, &config)?;
    let proof = carried.prove()?;
    if global.format == Format::Json {
        console.json(&wire::Verification::new(&proof))?;
    } else {
        console.result(&show::verify::text(&proof, carried.dir()))?;
    }
    Ok(Ended::open_if(proof.new_findings().next().is_some() || proof.account.totals.open > 0))
}
