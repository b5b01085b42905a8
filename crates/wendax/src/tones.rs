//! Tones as a sound file: WAVE, 16 bits, mono.

use crate::Failure;
use crate::files::{cannot_write, plain};
use hound::{SampleFormat, WavSpec, WavWriter};
use std::f32::consts::TAU;
use std::io::Cursor;
use std::path::Path;
use wendax_machine::{CYCLES_A_MILLISECOND, Tone};

/// Samples a second.
const RATE: u32 = 44_100;
/// A file holds at most so many seconds.
const LONGEST: u64 = 600;
/// Higher ones are not heard.
const HIGHEST: u32 = 20_000;
/// A tone swells and fades for so many samples, so that it does not click.
const EDGE: u64 = RATE as u64 / 250;

/// Writes the tones of a run, each at its time; of a long run the first ten minutes.
pub(crate) fn write(place: &Path, tones: &[Tone]) -> Result<(), Failure> {
    may_be_sound(place)?;
    let bytes = sound(tones).map_err(|error| Failure::usage(format!("{}: {error}", place.display())))?;
    crate::files::write(place, &bytes).map_err(|error| cannot_write(&place.display().to_string(), &error))
}

/// What is to be said of tones that go on beyond the end of a file; nothing when all have room.
pub(crate) fn left_out(tones: &[Tone]) -> Option<String> {
    let last = tones.last()?;
    let end = last.at / CYCLES_A_MILLISECOND + u64::from(last.milliseconds);
    let said =
        || format!("there are tones up to second {}; the file has those of the first {LONGEST}", end.div_ceil(1000));
    (end > LONGEST * 1000).then(said)
}

/// A sound file is named like one, so that nothing else is written over by mistake.
pub(crate) fn may_be_sound(place: &Path) -> Result<(), Failure> {
    if place.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("wav")) {
        return Ok(());
    }
    Err(Failure::usage(format!("{}: a sound file ends in .wav", place.display())))
}

/// The sound file of some tones.
pub(crate) fn sound(tones: &[Tone]) -> Result<Vec<u8>, String> {
    let spec = WavSpec { channels: 1, sample_rate: RATE, bits_per_sample: 16, sample_format: SampleFormat::Int };
    let mut bytes = Cursor::new(Vec::new());
    let told = |error: hound::Error| match error {
        hound::Error::IoError(error) => plain(&error),
        other => other.to_string(),
    };
    let mut writer = WavWriter::new(&mut bytes, spec).map_err(told)?;
    let sample_at = |milliseconds: u64| milliseconds * u64::from(RATE) / 1000;
    let mut now = 0;
    for tone in tones {
        let begin = sample_at(tone.at / CYCLES_A_MILLISECOND).max(now);
        let length = sample_at(tone.milliseconds.into()).min((LONGEST * u64::from(RATE)).saturating_sub(begin));
        if length == 0 {
            continue;
        }
        for _ in now..begin {
            writer.write_sample(0i16).map_err(told)?;
        }
        for index in 0..length {
            writer.write_sample(sample(tone.hertz, index, length)).map_err(told)?;
        }
        now = begin + length;
    }
    writer.finalize().map_err(told)?;
    Ok(bytes.into_inner())
}

#[expect(clippy::cast_possible_truncation, clippy::cast_precision_loss, reason = "a sample lies within 16 bits")]
fn sample(hertz: u32, index: u64, length: u64) -> i16 {
    if hertz == 0 || hertz > HIGHEST {
        return 0;
    }
    // Whole turns are left out while that is exact.
    let turns = (index * u64::from(hertz) % u64::from(RATE)) as f32 / RATE as f32;
    let loud = index.min(length - 1 - index).min(EDGE) as f32 / EDGE as f32;
    ((turns * TAU).sin() * loud * 9_000.0) as i16
}

#[cfg(test)]
mod tests {
    use super::*;
    use wendax_machine::StepNo;

    #[test]
    fn tones_stand_at_their_time_with_their_pitch() {
        let tone = |at, hertz, milliseconds| Tone { step: StepNo(0), at, hertz, milliseconds };
        let bytes = sound(&[tone(500_000, 440, 1000), tone(2_000_000, 0, 100)]).unwrap();
        let reader = hound::WavReader::new(Cursor::new(bytes)).unwrap();
        let samples: Vec<i16> = reader.into_samples().map(Result::unwrap).collect();
        assert_eq!(samples.len(), 44_100 * 21 / 10);
        assert!(samples[..22_050].iter().all(|sample| *sample == 0));
        let heard = &samples[22_050..66_150];
        let crossings = heard.windows(2).filter(|pair| pair[0] < 0 && pair[1] >= 0).count();
        assert!((438..=441).contains(&crossings), "{crossings} waves in a second");
        assert!(samples[66_150..].iter().all(|sample| *sample == 0));
    }

    #[test]
    fn a_sound_file_ends_after_ten_minutes() {
        let far = Tone { step: StepNo(0), at: 7_200_000_000, hertz: 440, milliseconds: 10 };
        assert_eq!(sound(&[far]).unwrap().len(), sound(&[]).unwrap().len());
        let told = left_out(&[far]).unwrap();
        assert_eq!(told, "there are tones up to second 7201; the file has those of the first 600");
        assert_eq!(left_out(&[Tone { at: 0, ..far }]), None);
    }
}
