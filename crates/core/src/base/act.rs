//! What somebody may do by hand about a finding, as values. Each says itself in words in one way.

use displaydoc::Display;

use crate::base::ids::FoldedId;
use crate::base::suggestion::Suggestion;

/// One thing to do by hand.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Act {
    // About the platform and whether mods fit.
    /// install {of} {version} there
    Install {
        /// The game, the loader, what it runs on.
        of: String,
        /// The version.
        version: String,
    },
    /// install {of} {version} there, or correct the rulebook's place for its version
    InstallOrCorrectPlace {
        /// The game, the loader, what it runs on.
        of: String,
        /// The version.
        version: String,
    },
    /// choose a release of it that fits {of} {version}
    ChooseFor {
        /// The game, the loader, what it runs on.
        of: &'static str,
        /// The version.
        version: String,
    },
    /// see the mod's own page for what it means
    SeeItsPage,
    /// add {0} to the set
    Add(FoldedId),
    /// say in kanon.toml that {0} is needed on both
    SayNeededOnBoth(FoldedId),
    /// choose a release of {id} that is {range}
    ChooseRelease {
        /// The mod.
        id: FoldedId,
        /// The releases that will do.
        range: String,
    },
    /// drop {0} or {1}
    DropOneOf(FoldedId, FoldedId),

    // About what is on an install.
    /// nothing; the game does not load it
    NotLoaded,
    /// nothing; the server does not mind it
    NotMinded,
    /// nothing; kanon.toml says that it stays
    Stays,
    /// add it to kanon.toml and seal, or take it off
    AddOrTakeOff,
    /// take it off this {0}, unless you know why it is there
    TakeOff(&'static str),
    /// mend it where it is installed: there, kanon align or kanon follow brings it in line
    MendWhereInstalled,
    /// see why, and mend or remove it by hand
    MendOrRemove,
    /// rename or remove one of the two
    RenameOrRemove,
    /// start the game once so that {0} is there, then align
    StartForFolder(String),
    /// start the game once, so that it makes the file
    StartForFile,
    /// mend the file by hand; it is left as it is
    MendFile,
    /// change it by hand; kanon leaves it as it is: {0}
    ChangeByHand(String),
    /// look what it is, and take it out of the key folder by hand; it is left as it is
    LookInKeyFolder,
    /// ask its makers for a release that is signed rightly, and seal that
    AskForSigned,
    /// write it into the launch line by hand; {0} prints it
    WriteLaunchLine(Suggestion),
    /// if the game is started in another way, see to it there; write it into the launch line by hand; {0} prints it
    WriteLaunchLineElsewhere(Suggestion),
    /// say in kanon.toml what `{0}` is to be
    SayValue(String),

    // About what can't be sealed.
    /// did you mean `{0}`?
    DidYouMean(String),
    /// A fact that is called alike.
    #[displaydoc("did you mean `{0}`? Otherwise write it under [facts] in kanon.toml")]
    DidYouMeanFact(String),
    /// A fact that nobody stated.
    #[displaydoc("write it under [facts] in kanon.toml: {0} = \"...\"")]
    WriteFact(String),
    /// say in kanon.toml where it is: file = "...", at = "$..."
    SayWhere,
    /// put a whole copy of it there, or take its release from elsewhere
    PutWholeCopy,
    /// keep one of the two files in {0}
    KeepOneFile(String),
    /// say in kanon.toml which counts: from = "{0}" or from = "{1}"
    SayWhichCounts(String, String),
    /// put its release into a source or an install
    PutRelease,
    /// change it in kanon.toml, or put that release where it is to come from
    ChangeOrPutRelease,
    /// if the new bytes are meant: {accept}; if they are damage, put the sealed ones back: {align}
    AcceptOrPutBack {
        /// The command that takes the new bytes.
        accept: Suggestion,
        /// The command that brings the old ones.
        align: Suggestion,
    },
    /// drop one of them, or know that the one that is loaded last counts
    DropOrKnowLast,
    /// drop one of them, unless you know that the game takes both
    DropUnlessBoth,
    /// drop one of them, or take a copy that is called otherwise
    DropOrRename,
    /// drop one of them, or choose a release that asks for less
    DropOrAskLess,
    /// A side that is said twice.
    #[displaydoc("take `needed_on` out of its [[mod]] in kanon.toml, unless you know better")]
    TakeNeededOnOut,
    /// update these mods together, so that all are signed by one key
    UpdateTogether,
    /// change its `position` in kanon.toml
    ChangePosition,
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(Act::WriteFact("port".into()), "write it under [facts] in kanon.toml: port = \"...\"")]
    #[case(
        Act::AcceptOrPutBack {
            accept: Suggestion::new("seal").word("--accept").word("lamp"),
            align: Suggestion::align("the hall"),
        },
        "if the new bytes are meant: kanon seal --accept lamp; if they are damage, put the sealed ones back: kanon align \"the hall\""
    )]
    fn an_act_says_itself(#[case] act: Act, #[case] words: &str) {
        assert_eq!(act.to_string(), words);
    }
}
