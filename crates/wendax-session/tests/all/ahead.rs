//! The coming steps are those that come.

use super::time::{go, program, run, typed};
use proptest::prelude::*;
use wendax_isa::StepNo;
use wendax_session::{Command, Horizon, State};

proptest! {
    #![proptest_config(ProptestConfig::with_cases(80))]

    #[test]
    fn what_lies_ahead_is_what_comes(image in program(), at in 0u64..420, inputs in typed(), most in 1usize..60) {
        let mut session = run(&image, &inputs);
        let at = at.min(session.end().0);
        go(&mut session, Command::Seek(StepNo(at)));
        let ahead = session.ahead(most);
        // Nothing was run for that.
        prop_assert_eq!(session.now(), StepNo(at));
        prop_assert!(ahead.steps.len() <= most);
        prop_assert!(ahead.steps.len() == most || ahead.horizon != Horizon::More);
        for (nth, foreseen) in ahead.steps.iter().enumerate() {
            go(&mut session, Command::Step);
            prop_assert_eq!(session.now(), StepNo(at) + nth as u64 + 1);
            // A lever or a value set by hand at the moment behind it is told with that moment.
            let mut did = session.last_step().expect("a step was taken").clone();
            did.output.truncate(foreseen.output.len());
            prop_assert_eq!(&did, foreseen);
        }
        match ahead.horizon {
            Horizon::More => prop_assert_eq!(ahead.steps.len(), most),
            Horizon::Ends(status) => prop_assert_eq!(session.state(), &State::Finished(status)),
            Horizon::Fails(fault) => {
                go(&mut session, Command::Step);
                prop_assert_eq!(session.state(), &State::Fault(fault));
            }
            Horizon::Waits | Horizon::Asks | Horizon::Stops => {}
        }
    }
}
