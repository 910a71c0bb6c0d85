# Print an optspec for argparse to handle cmd's options that are independent of any subcommand.
function __fish_jurex_global_optspecs
    string join \n theme= h/help V/version
end

function __fish_jurex_needs_command
    # Figure out if the current invocation already has a command.
    set -l cmd (commandline -opc)
    set -e cmd[1]
    argparse -s (__fish_jurex_global_optspecs) -- $cmd 2>/dev/null
    or return
    if set -q argv[1]
        # Also print the command, so this can be used to figure out what it is.
        echo $argv[1]
        return 1
    end
    return 0
end

function __fish_jurex_using_subcommand
    set -l cmd (__fish_jurex_needs_command)
    test -z "$cmd"
    and return 1
    contains -- $cmd[1] $argv
end

complete -c jurex -n "__fish_jurex_needs_command" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_needs_command" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_needs_command" -s V -l version -d 'Print version'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "demo" -d 'The interface on a simulated bench, to learn and to try'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "drives" -d 'Every drive of this machine, with the guard\'s verdict'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "look" -d 'One drive: identity, contents, ways to sanitize it'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "plan" -d 'What is needed, and which ways of this drive reach it'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "methods" -d 'The library of methods, or one of them'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "erase" -d 'Plan, check, erase, verify, and write record and certificate'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "start-medium" -d 'Write an image that starts a computer into Jurex onto a stick, through the guard and the label check, and add a partition for records'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "unattended" -d 'Erase the drives that a list names, and no others: the list, approved by a person, is the label check'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "unlock" -d 'Take away the password that a broken-off SECURITY ERASE UNIT has left, or end a failure mode; erases nothing'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "certificate" -d 'Write the files of a past job again'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "prove" -d 'Read a drive again by what a record says lies there, or by what you expect; nothing is written to it'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "residue" -d 'Search a drive for what a person could still use; nothing is written to it'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "keys" -d 'The keys that sign records, and those of others that are trusted'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "check" -d 'Whether a record, a signed record or a certificate can be believed, and what it claims'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "ledger" -d 'Past work: found again, told, given out; whether the ledger is as it was written; copies of it'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "schema" -d 'The JSON Schema of what is written'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "notice" -d 'Notices to people who are elsewhere: try them, see which wait'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "lot" -d 'Lots: which drives are expected, what is done, what is missing'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "release" -d 'What becomes of a drive: made ready for its next user, destroyed, put away, handed over; noted in the ledger'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "label" -d 'Labels to stick on drives'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "files" -d 'Erase single files and folders, and look what really became of them on the medium; never a sanitization of the drive'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "free" -d 'Fill the free space of a file system in use, and look what it holds then; never a sanitization of the drive'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "where" -d 'Where a drive is, and what was done to it; without a serial: every drive that somebody must still see to'
complete -c jurex -n "__fish_jurex_needs_command" -f -a "help" -d 'Print this message or the help of the given subcommand(s)'
complete -c jurex -n "__fish_jurex_using_subcommand demo" -l out -d 'Folder for records and certificates (in the interface: jurex-certificates, if not given)' -r -F
complete -c jurex -n "__fish_jurex_using_subcommand demo" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand demo" -l unattended -d 'No screen: erase every drive that the guard lets through, and write every certificate'
complete -c jurex -n "__fish_jurex_using_subcommand demo" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand drives" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand drives" -l json -d 'One JSON document instead of a table'
complete -c jurex -n "__fish_jurex_using_subcommand drives" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand look" -l beacon -d 'Read in a long-short rhythm for so many seconds, so that the drive\'s light can be found; nothing is written' -r
complete -c jurex -n "__fish_jurex_using_subcommand look" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand look" -l json -d 'One JSON document instead of text'
complete -c jurex -n "__fish_jurex_using_subcommand look" -l as-left -d 'Whether a drive that carries a mark is still as it was left: a sample against what the ledger\'s record says'
complete -c jurex -n "__fish_jurex_using_subcommand look" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l sensitivity -d 'How sensitive is what it held: low, moderate or high (FIPS 199)' -r -f -a "low\t''
moderate\t''
high\t''"
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l reuse -d 'Will it be used again?' -r -f -a "yes\t''
no\t''"
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l leaves -d 'Does it leave the organisation\'s control?' -r -f -a "yes\t''
no\t''"
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l policy -d 'Answers and methods from a saved policy, by its name or file' -r
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l method -d 'A method of the library or of your own (see `jurex methods`)' -r
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l passes -d 'Passes of your own, for example \'00 | ~ | random?\'' -r
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l way -d 'A way of the ladder (see `jurex plan`): an erasure that the drive carries out itself' -r
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l then -d 'With --way: passes that are laid after the drive has erased itself, for example \'00\'' -r
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l stated -d 'With --way: what you state about the drive, by name on the certificate: encrypted-from-start, key-strength, keys-not-escrowed, module-trusted, maker-confirms' -r -f -a "encrypted-from-start\t''
key-strength\t''
keys-not-escrowed\t''
module-trusted\t''
maker-confirms\t''
rated-degausser\t''"
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l size-check -d 'Whether it is found out first that the drive is as large as it says, by marks all over it (default: yes for removable flash, no for all else)' -r -f -a "yes\t''
no\t''"
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l mark -d 'Whether a page of plain text that says what was done is left in the drive\'s first and last sectors after the proof (default: the configuration\'s `mark`, else no)' -r -f -a "yes\t''
no\t''"
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l rounds -d 'How often the passes are run through (1, unless a policy says otherwise)' -r
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l verify -d 'What is read back and compared (full, unless a policy says otherwise)' -r -f -a "full\t''
sampled\t''
full-every-pass\t''
sampled-every-pass\t''
none\t''"
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l from -d 'First sector of a range (a range never sanitizes the drive)' -r
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l to -d 'Last sector of a range' -r
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l partition -d 'A partition instead of the drive, by its place in `jurex look` (a partition never sanitizes the drive)' -r
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l retries -d 'How often a failing sector is tried again (2, unless a policy says otherwise)' -r
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l faults -d 'After more bad places than this a dying drive is given up (10 000)' -r
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l rules -d 'The edition that outcomes are judged by: rev1 or rev2 (default: the configuration\'s, else rev2)' -r -f -a "rev1\t''
rev2\t''"
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l leave-hidden -d 'Hidden areas stay hidden (then it is never the whole drive)'
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l keep-lifted -d 'Hidden areas are given back for good, not only until the drive\'s next power-on'
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l restore-configuration -d 'A device configuration overlay is taken off too: that restores every setting that the drive had from its maker'
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l leftovers -d 'Search it for leftovers before and after, a sample for a minute at most: both counts stand in the record'
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l blank -d 'One more pass of zeros at the end'
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l no-sample -d 'Do not read from the drive to sample its speed; the times are then guesses from its class'
complete -c jurex -n "__fish_jurex_using_subcommand plan" -l json -d 'One JSON document instead of text (its schema: docs/plan.schema.json)'
complete -c jurex -n "__fish_jurex_using_subcommand plan" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand methods" -l search -d 'Only methods in whose name, title, issuer, document or passes every word appears' -r
complete -c jurex -n "__fish_jurex_using_subcommand methods" -l import -d 'Take the methods of a TOML file into the configuration' -r -F
complete -c jurex -n "__fish_jurex_using_subcommand methods" -l export -d 'Write the methods of your own (or the named one) to a TOML file' -r -F
complete -c jurex -n "__fish_jurex_using_subcommand methods" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand methods" -l json -d 'One JSON document instead of a table'
complete -c jurex -n "__fish_jurex_using_subcommand methods" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l method -d 'A method of the library or of your own (see `jurex methods`)' -r
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l passes -d 'Passes of your own, for example \'00 | ~ | random?\'' -r
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l way -d 'A way of the ladder (see `jurex plan`): an erasure that the drive carries out itself' -r
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l then -d 'With --way: passes that are laid after the drive has erased itself, for example \'00\'' -r
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l stated -d 'With --way: what you state about the drive, by name on the certificate: encrypted-from-start, key-strength, keys-not-escrowed, module-trusted, maker-confirms' -r -f -a "encrypted-from-start\t''
key-strength\t''
keys-not-escrowed\t''
module-trusted\t''
maker-confirms\t''
rated-degausser\t''"
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l size-check -d 'Whether it is found out first that the drive is as large as it says, by marks all over it (default: yes for removable flash, no for all else)' -r -f -a "yes\t''
no\t''"
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l mark -d 'Whether a page of plain text that says what was done is left in the drive\'s first and last sectors after the proof (default: the configuration\'s `mark`, else no)' -r -f -a "yes\t''
no\t''"
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l rounds -d 'How often the passes are run through (1, unless a policy says otherwise)' -r
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l verify -d 'What is read back and compared (full, unless a policy says otherwise)' -r -f -a "full\t''
sampled\t''
full-every-pass\t''
sampled-every-pass\t''
none\t''"
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l from -d 'First sector of a range (a range never sanitizes the drive)' -r
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l to -d 'Last sector of a range' -r
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l partition -d 'A partition instead of the drive, by its place in `jurex look` (a partition never sanitizes the drive)' -r
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l retries -d 'How often a failing sector is tried again (2, unless a policy says otherwise)' -r
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l faults -d 'After more bad places than this a dying drive is given up (10 000)' -r
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l rules -d 'The edition that outcomes are judged by: rev1 or rev2 (default: the configuration\'s, else rev2)' -r -f -a "rev1\t''
rev2\t''"
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l label-check -d 'The last six characters of the drive\'s serial number, read from the drive itself; of a drive or image without one, its exact number of sectors' -r
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l psid -d 'With --way tcg-revert: the PSID printed on the drive\'s label; it is kept nowhere' -r
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l psid-file -d 'The same from a file, or `-`: asked for at the terminal, so that no list of programs and no shell\'s history has it' -r -F
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l admin-password-file -d 'With --way tcg-key-change: a file that holds the password of Admin1; it is kept nowhere' -r -F
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l out -d 'Folder for the record and the certificate' -r -F
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l leave-hidden -d 'Hidden areas stay hidden (then it is never the whole drive)'
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l keep-lifted -d 'Hidden areas are given back for good, not only until the drive\'s next power-on'
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l restore-configuration -d 'A device configuration overlay is taken off too: that restores every setting that the drive had from its maker'
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l leftovers -d 'Search it for leftovers before and after, a sample for a minute at most: both counts stand in the record'
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l blank -d 'One more pass of zeros at the end'
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l resume -d 'Go on with the job on this drive that was stopped, lost its drive, was killed, or lost power'
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l json -d 'One JSON event a line'
complete -c jurex -n "__fish_jurex_using_subcommand erase" -l quiet -d 'No progress lines'
complete -c jurex -n "__fish_jurex_using_subcommand erase" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand start-medium" -l label-check -d 'The last six characters of the stick\'s serial number, read from the stick itself; of one without, its exact number of sectors' -r
complete -c jurex -n "__fish_jurex_using_subcommand start-medium" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand start-medium" -l quiet -d 'No progress line'
complete -c jurex -n "__fish_jurex_using_subcommand start-medium" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand unattended" -l out -d 'Folder for records and papers' -r -F
complete -c jurex -n "__fish_jurex_using_subcommand unattended" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand unattended" -l screen -d 'Show it on the whole screen, readable from afar, until a key is pressed at the end'
complete -c jurex -n "__fish_jurex_using_subcommand unattended" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand unlock" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand unlock" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand certificate" -l lot -d 'The papers of a whole lot instead: PDF, CSV and signed JSON' -r
complete -c jurex -n "__fish_jurex_using_subcommand certificate" -l out -d 'Folder for the files' -r -F
complete -c jurex -n "__fish_jurex_using_subcommand certificate" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand certificate" -l demo -d 'With --lot: a lot of the demonstration'
complete -c jurex -n "__fish_jurex_using_subcommand certificate" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand prove" -l lot -d 'With --due: those of this lot alone' -r
complete -c jurex -n "__fish_jurex_using_subcommand prove" -l record -d 'The record of the job that is to be looked into again' -r -F
complete -c jurex -n "__fish_jurex_using_subcommand prove" -l expect -d 'Without a record: one pass in the notation that should lie there, as \'00\' or \'lba\', or `blank`' -r
complete -c jurex -n "__fish_jurex_using_subcommand prove" -l verify -d 'What is read: every sector (full), or a tenth in places drawn anew (sampled)' -r -f -a "full\t''
sampled\t''"
complete -c jurex -n "__fish_jurex_using_subcommand prove" -l by -d 'Who looks (default: the technician of the configuration)' -r
complete -c jurex -n "__fish_jurex_using_subcommand prove" -l out -d 'Folder for the verification record' -r -F
complete -c jurex -n "__fish_jurex_using_subcommand prove" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand prove" -l due -d 'No drive: list the drives that were drawn for a second look, and whether they had it'
complete -c jurex -n "__fish_jurex_using_subcommand prove" -l leftovers -d 'Search it for leftovers too, a sample for a minute at most; what was found stands in the verification record'
complete -c jurex -n "__fish_jurex_using_subcommand prove" -l json -d 'The verification record as one JSON document instead of text'
complete -c jurex -n "__fish_jurex_using_subcommand prove" -l quiet -d 'No progress line'
complete -c jurex -n "__fish_jurex_using_subcommand prove" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand residue" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand residue" -l sampled -d 'Two thousand places drawn all over it instead of every sector'
complete -c jurex -n "__fish_jurex_using_subcommand residue" -l json -d 'One JSON document instead of text'
complete -c jurex -n "__fish_jurex_using_subcommand residue" -l quiet -d 'No progress line'
complete -c jurex -n "__fish_jurex_using_subcommand residue" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and not __fish_seen_subcommand_from new list show export retire self-signed trust help" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand keys; and not __fish_seen_subcommand_from new list show export retire self-signed trust help" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and not __fish_seen_subcommand_from new list show export retire self-signed trust help" -f -a "new" -d 'Make a key; it signs from then on'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and not __fish_seen_subcommand_from new list show export retire self-signed trust help" -f -a "list" -d 'Every key: which signs, which are retired, which are of others'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and not __fish_seen_subcommand_from new list show export retire self-signed trust help" -f -a "show" -d 'One key'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and not __fish_seen_subcommand_from new list show export retire self-signed trust help" -f -a "export" -d 'The public key, for others to check with (PEM)'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and not __fish_seen_subcommand_from new list show export retire self-signed trust help" -f -a "retire" -d 'A key signs no more, or a certificate is not trusted any more; what was signed before stays signed'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and not __fish_seen_subcommand_from new list show export retire self-signed trust help" -f -a "self-signed" -d 'A certificate with its key, to try what PDF readers show of signed papers; an organisation brings one that others vouch for'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and not __fish_seen_subcommand_from new list show export retire self-signed trust help" -f -a "trust" -d 'Take in the public key of another bench, or a certificate: what was signed with it is taken for theirs'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and not __fish_seen_subcommand_from new list show export retire self-signed trust help" -f -a "help" -d 'Print this message or the help of the given subcommand(s)'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from new" -l name -d 'What people call it, as "Bench 2, Tern Quay workshop"' -r
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from new" -l passphrase-file -d 'A file that holds the passphrase which shuts it (otherwise it is asked for)' -r -F
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from new" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from new" -l no-passphrase -d 'It is not shut: whoever can read its file can sign with it'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from new" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from list" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from list" -l json -d 'One JSON document instead of a table'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from list" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from show" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from show" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from export" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from export" -l jwk -d 'As JSON Web Key'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from export" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from retire" -l since -d 'Since when it counts no more, as 2026-11-30T08:00:00Z (default: now); earlier than now where it was in strange hands before' -r
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from retire" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from retire" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from self-signed" -l name -d 'Whose name it carries' -r
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from self-signed" -l days -d 'Days for which it is good' -r
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from self-signed" -l out -d 'Folder for certificate.pem and certificate.key' -r -F
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from self-signed" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from self-signed" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from trust" -l name -d 'Whose it is' -r
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from trust" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from trust" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from help" -f -a "new" -d 'Make a key; it signs from then on'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from help" -f -a "list" -d 'Every key: which signs, which are retired, which are of others'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from help" -f -a "show" -d 'One key'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from help" -f -a "export" -d 'The public key, for others to check with (PEM)'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from help" -f -a "retire" -d 'A key signs no more, or a certificate is not trusted any more; what was signed before stays signed'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from help" -f -a "self-signed" -d 'A certificate with its key, to try what PDF readers show of signed papers; an organisation brings one that others vouch for'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from help" -f -a "trust" -d 'Take in the public key of another bench, or a certificate: what was signed with it is taken for theirs'
complete -c jurex -n "__fish_jurex_using_subcommand keys; and __fish_seen_subcommand_from help" -f -a "help" -d 'Print this message or the help of the given subcommand(s)'
complete -c jurex -n "__fish_jurex_using_subcommand check" -l qr -d 'What stands in the code of a paper: whether these files, or the ledger here, are of that paper' -r
complete -c jurex -n "__fish_jurex_using_subcommand check" -l key -d 'A public key to check with, beside those that are known here' -r -F
complete -c jurex -n "__fish_jurex_using_subcommand check" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand check" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and not __fish_seen_subcommand_from check head list backup restore show find export help" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and not __fish_seen_subcommand_from check head list backup restore show find export help" -l demo -d 'The ledger of the demonstration instead'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and not __fish_seen_subcommand_from check head list backup restore show find export help" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and not __fish_seen_subcommand_from check head list backup restore show find export help" -f -a "check" -d 'Go through everything that was ever written: what was changed, taken away, put in, or rolled back is named'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and not __fish_seen_subcommand_from check head list backup restore show find export help" -f -a "head" -d 'The newest signed head: kept elsewhere, it shows later whether anything before it was touched'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and not __fish_seen_subcommand_from check head list backup restore show find export help" -f -a "list" -d 'The newest jobs with what they earned'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and not __fish_seen_subcommand_from check head list backup restore show find export help" -f -a "backup" -d 'Copy it into a new file, while jobs run (without what unfinished jobs need to go on: that holds keys)'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and not __fish_seen_subcommand_from check head list backup restore show find export help" -f -a "restore" -d 'Put a copy in the ledger\'s place; what was there is kept beside it, and the ledger says so'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and not __fish_seen_subcommand_from check head list backup restore show find export help" -f -a "show" -d 'A job\'s whole story: what was done and found, its events, who looked again'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and not __fish_seen_subcommand_from check head list backup restore show find export help" -f -a "find" -d 'The newest jobs in which all these words appear'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and not __fish_seen_subcommand_from check head list backup restore show find export help" -f -a "export" -d 'Give records out, as CSV, as JSON lines, or each as a signed file'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and not __fish_seen_subcommand_from check head list backup restore show find export help" -f -a "help" -d 'Print this message or the help of the given subcommand(s)'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from check" -l since -d 'A head that was kept elsewhere (`jurex ledger head`): nothing before it may have changed' -r -F
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from check" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from check" -l demo -d 'The ledger of the demonstration instead'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from check" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from head" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from head" -l take -d 'Take the ledger as it is, though it does not follow from a head that was kept of it: that head is kept under another name, and the ledger says so in an entry of its own'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from head" -l demo -d 'The ledger of the demonstration instead'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from head" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from list" -l most -d 'How many at most' -r
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from list" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from list" -l json -d 'One JSON document instead of a table'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from list" -l demo -d 'The ledger of the demonstration instead'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from list" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from backup" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from backup" -l demo -d 'The ledger of the demonstration instead'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from backup" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from restore" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from restore" -l demo -d 'The ledger of the demonstration instead'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from restore" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from show" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from show" -l json -d 'One JSON document instead of text'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from show" -l demo -d 'The ledger of the demonstration instead'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from show" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from find" -l most -d 'How many at most' -r
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from find" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from find" -l json -d 'One JSON document instead of a table'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from find" -l demo -d 'The ledger of the demonstration instead'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from find" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from export" -l as -d 'The form' -r -f -a "csv\t'One table (RFC 4180)'
json-lines\t'One JSON object a line'
records\t'A folder with each record, signed if there is a key'"
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from export" -l out -d 'A new file, or the folder for records' -r -F
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from export" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from export" -l demo -d 'The ledger of the demonstration instead'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from export" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from help" -f -a "check" -d 'Go through everything that was ever written: what was changed, taken away, put in, or rolled back is named'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from help" -f -a "head" -d 'The newest signed head: kept elsewhere, it shows later whether anything before it was touched'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from help" -f -a "list" -d 'The newest jobs with what they earned'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from help" -f -a "backup" -d 'Copy it into a new file, while jobs run (without what unfinished jobs need to go on: that holds keys)'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from help" -f -a "restore" -d 'Put a copy in the ledger\'s place; what was there is kept beside it, and the ledger says so'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from help" -f -a "show" -d 'A job\'s whole story: what was done and found, its events, who looked again'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from help" -f -a "find" -d 'The newest jobs in which all these words appear'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from help" -f -a "export" -d 'Give records out, as CSV, as JSON lines, or each as a signed file'
complete -c jurex -n "__fish_jurex_using_subcommand ledger; and __fish_seen_subcommand_from help" -f -a "help" -d 'Print this message or the help of the given subcommand(s)'
complete -c jurex -n "__fish_jurex_using_subcommand schema" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand schema" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand notice; and not __fish_seen_subcommand_from test show send help" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand notice; and not __fish_seen_subcommand_from test show send help" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand notice; and not __fish_seen_subcommand_from test show send help" -f -a "test" -d 'Send one to try, by every way that the configuration has'
complete -c jurex -n "__fish_jurex_using_subcommand notice; and not __fish_seen_subcommand_from test show send help" -f -a "show" -d 'Those that have not gone out, and why'
complete -c jurex -n "__fish_jurex_using_subcommand notice; and not __fish_seen_subcommand_from test show send help" -f -a "send" -d 'Try those that are due now'
complete -c jurex -n "__fish_jurex_using_subcommand notice; and not __fish_seen_subcommand_from test show send help" -f -a "help" -d 'Print this message or the help of the given subcommand(s)'
complete -c jurex -n "__fish_jurex_using_subcommand notice; and __fish_seen_subcommand_from test" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand notice; and __fish_seen_subcommand_from test" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand notice; and __fish_seen_subcommand_from show" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand notice; and __fish_seen_subcommand_from show" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand notice; and __fish_seen_subcommand_from send" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand notice; and __fish_seen_subcommand_from send" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand notice; and __fish_seen_subcommand_from help" -f -a "test" -d 'Send one to try, by every way that the configuration has'
complete -c jurex -n "__fish_jurex_using_subcommand notice; and __fish_seen_subcommand_from help" -f -a "show" -d 'Those that have not gone out, and why'
complete -c jurex -n "__fish_jurex_using_subcommand notice; and __fish_seen_subcommand_from help" -f -a "send" -d 'Try those that are due now'
complete -c jurex -n "__fish_jurex_using_subcommand notice; and __fish_seen_subcommand_from help" -f -a "help" -d 'Print this message or the help of the given subcommand(s)'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and not __fish_seen_subcommand_from new import show close help" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand lot; and not __fish_seen_subcommand_from new import show close help" -l demo -d 'The lots of the demonstration instead'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and not __fish_seen_subcommand_from new import show close help" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and not __fish_seen_subcommand_from new import show close help" -f -a "new" -d 'Open a lot'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and not __fish_seen_subcommand_from new import show close help" -f -a "import" -d 'Take in a list of expected drives (CSV; columns by name: serial, property number, source, sensitivity, reuse, leaves, destination, notes)'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and not __fish_seen_subcommand_from new import show close help" -f -a "show" -d 'How a lot stands, or every lot'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and not __fish_seen_subcommand_from new import show close help" -f -a "close" -d 'Close a lot: nothing is expected any more'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and not __fish_seen_subcommand_from new import show close help" -f -a "help" -d 'Print this message or the help of the given subcommand(s)'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and __fish_seen_subcommand_from new" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand lot; and __fish_seen_subcommand_from new" -l demo -d 'The lots of the demonstration instead'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and __fish_seen_subcommand_from new" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and __fish_seen_subcommand_from import" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand lot; and __fish_seen_subcommand_from import" -l demo -d 'The lots of the demonstration instead'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and __fish_seen_subcommand_from import" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and __fish_seen_subcommand_from show" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand lot; and __fish_seen_subcommand_from show" -l json -d 'One JSON document instead of text'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and __fish_seen_subcommand_from show" -l demo -d 'The lots of the demonstration instead'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and __fish_seen_subcommand_from show" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and __fish_seen_subcommand_from close" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand lot; and __fish_seen_subcommand_from close" -l incomplete -d 'Also where drives are missing or not sanitized: its certificate names them'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and __fish_seen_subcommand_from close" -l demo -d 'The lots of the demonstration instead'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and __fish_seen_subcommand_from close" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and __fish_seen_subcommand_from help" -f -a "new" -d 'Open a lot'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and __fish_seen_subcommand_from help" -f -a "import" -d 'Take in a list of expected drives (CSV; columns by name: serial, property number, source, sensitivity, reuse, leaves, destination, notes)'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and __fish_seen_subcommand_from help" -f -a "show" -d 'How a lot stands, or every lot'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and __fish_seen_subcommand_from help" -f -a "close" -d 'Close a lot: nothing is expected any more'
complete -c jurex -n "__fish_jurex_using_subcommand lot; and __fish_seen_subcommand_from help" -f -a "help" -d 'Print this message or the help of the given subcommand(s)'
complete -c jurex -n "__fish_jurex_using_subcommand release" -l as -d 'What becomes of it' -r -f -a "received\t'It came in'
at-bench\t'It was brought to a bench'
blank\t'It stays as its erasure left it'
prepared\t'It gets a table and volumes for its next user'
tables-cleared\t'Its tables are cleared, quickly; that is no erasure'
destroyed\t'It was destroyed, or damaged: what that earns follows from what is stated'
sent-out\t'It goes to a service that destroys it'
stored\t'It was put away'
returned\t'It goes back to whom it came from'
handed-over\t'It is handed to somebody'
withdrawn\t'A statement about it is taken back: it stays in the ledger, and counts for nothing from now on'"
complete -c jurex -n "__fish_jurex_using_subcommand release" -l by -d 'Who says so (default: the technician of the configuration)' -r
complete -c jurex -n "__fish_jurex_using_subcommand release" -l from -d 'received: from whom it came' -r
complete -c jurex -n "__fish_jurex_using_subcommand release" -l to -d 'returned, handed-over: to whom it goes' -r
complete -c jurex -n "__fish_jurex_using_subcommand release" -l place -d 'stored: shelf or box; at-bench: the bench; destroyed: where' -r
complete -c jurex -n "__fish_jurex_using_subcommand release" -l service -d 'sent-out, destroyed: the service outside that destroys it' -r
complete -c jurex -n "__fish_jurex_using_subcommand release" -l batch -d 'sent-out: the batch that it goes with; destroyed: the batch of drives that it was destroyed with' -r
complete -c jurex -n "__fish_jurex_using_subcommand release" -l certificate -d 'destroyed outside: the number of the service\'s certificate' -r
complete -c jurex -n "__fish_jurex_using_subcommand release" -l how -d 'destroyed: what was done' -r -f -a "disintegrated\t''
shredded\t''
pulverized\t''
incinerated\t''
melted\t''
crushed\t''
drilled\t''
cut\t''
bent\t''
degaussed\t''"
complete -c jurex -n "__fish_jurex_using_subcommand release" -l pieces -d 'destroyed: the largest piece that is left, in millimetres' -r
complete -c jurex -n "__fish_jurex_using_subcommand release" -l field -d 'degaussed: the degausser\'s field in oersted' -r
complete -c jurex -n "__fish_jurex_using_subcommand release" -l coercivity -d 'degaussed: the drive\'s coercivity in oersted' -r
complete -c jurex -n "__fish_jurex_using_subcommand release" -l machine -d 'destroyed: the machine' -r
complete -c jurex -n "__fish_jurex_using_subcommand release" -l done-by -d 'destroyed: who did it (default: who says so)' -r
complete -c jurex -n "__fish_jurex_using_subcommand release" -l witness -d 'destroyed: who saw it' -r
complete -c jurex -n "__fish_jurex_using_subcommand release" -l photo -d 'destroyed: a photograph; its digest is kept' -r -F
complete -c jurex -n "__fish_jurex_using_subcommand release" -l class -d 'serial:TEXT: the class of media, where no drive has told it' -r -f -a "magnetic\t''
solid-state\t''
removable-flash\t''
embedded-flash\t''
optical\t''"
complete -c jurex -n "__fish_jurex_using_subcommand release" -l table -d 'prepared: the partition table' -r -f -a "gpt\t''
mbr\t''"
complete -c jurex -n "__fish_jurex_using_subcommand release" -l volume -d 'prepared: a volume as SYSTEM[:LABEL[:SIZE]], for example fat32:TIDES or ext4:logs:32GB; systems: fat32, exfat, ext4, ntfs' -r
complete -c jurex -n "__fish_jurex_using_subcommand release" -l spare -d 'prepared: of a hundred parts those that stay unallocated (solid state: 10, it works longer and faster with room; else 0)' -r
complete -c jurex -n "__fish_jurex_using_subcommand release" -l label-check -d 'Where something is written, and where a destruction is stated: the last six characters of the drive\'s serial number, read from the drive itself. Not asked for a drive that was just erased here and not taken away since, nor of a destruction with serial: or batch:' -r
complete -c jurex -n "__fish_jurex_using_subcommand release" -l statement -d 'withdrawn: the beginning of the statement\'s digest (default: the newest that stands)' -r
complete -c jurex -n "__fish_jurex_using_subcommand release" -l why -d 'withdrawn: why' -r
complete -c jurex -n "__fish_jurex_using_subcommand release" -l out -d 'Folder for the statement, and for the paper of a destruction' -r -F
complete -c jurex -n "__fish_jurex_using_subcommand release" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand release" -l rated -d 'degaussed: you state that the degausser is rated for this drive, which is neither hybrid nor heat-assisted'
complete -c jurex -n "__fish_jurex_using_subcommand release" -l discard -d 'blank, prepared: tell the drive first that all its sectors are unused, so that it is fast for its next user; no erasure'
complete -c jurex -n "__fish_jurex_using_subcommand release" -l demo -d 'The ledger of the demonstration, for serial:, batch: and jobs'
complete -c jurex -n "__fish_jurex_using_subcommand release" -l json -d 'One JSON document instead of text'
complete -c jurex -n "__fish_jurex_using_subcommand release" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand label" -l lot -d 'Every drive of a lot that has a record' -r
complete -c jurex -n "__fish_jurex_using_subcommand label" -l size -d '62x29 or 89x36 (millimetres, a label a page), a4-21 or a4-24 (sheets of labels); default: the configuration\'s, else 62x29' -r -f -a "62x29\t''
89x36\t''
a4-21\t''
a4-24\t''"
complete -c jurex -n "__fish_jurex_using_subcommand label" -l first -d 'On sheets: the first free label, counted from 1' -r
complete -c jurex -n "__fish_jurex_using_subcommand label" -l out -d 'Folder for the PDF and the SVGs' -r -F
complete -c jurex -n "__fish_jurex_using_subcommand label" -l print -d 'Print them by the system\'s lp, on this printer if it is named' -r
complete -c jurex -n "__fish_jurex_using_subcommand label" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand label" -l demo -d 'The ledger of the demonstration'
complete -c jurex -n "__fish_jurex_using_subcommand label" -l json -d 'One JSON document instead of text'
complete -c jurex -n "__fish_jurex_using_subcommand label" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand files" -l passes -d 'The passes in the notation' -r
complete -c jurex -n "__fish_jurex_using_subcommand files" -l yes-count -d 'The number of names that will be lost, as the plan tells it; without it a person is asked for it' -r
complete -c jurex -n "__fish_jurex_using_subcommand files" -l out -d 'Folder for the record and its paper (default: a folder of Jurex\'s own)' -r -F
complete -c jurex -n "__fish_jurex_using_subcommand files" -l by -d 'Who had it done (default: the technician of the configuration)' -r
complete -c jurex -n "__fish_jurex_using_subcommand files" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand files" -l keep-names -d 'Names stay: contents, attributes and times are erased, and what is left is an empty file'
complete -c jurex -n "__fish_jurex_using_subcommand files" -l plan -d 'Only say what would be lost, and what may be hoped for; nothing is written'
complete -c jurex -n "__fish_jurex_using_subcommand files" -l with-names -d 'Let the names of files stand in the record; else it holds their digests'
complete -c jurex -n "__fish_jurex_using_subcommand files" -l resume -d 'Go on with what was cut short: all of it, with the passes that it began with'
complete -c jurex -n "__fish_jurex_using_subcommand files" -l json -d 'One JSON document instead of text'
complete -c jurex -n "__fish_jurex_using_subcommand files" -l quiet -d 'No progress line'
complete -c jurex -n "__fish_jurex_using_subcommand files" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand free" -l passes -d 'The passes in the notation' -r
complete -c jurex -n "__fish_jurex_using_subcommand free" -l reserve -d 'What is left to whoever else uses it, as 500MB (default: a hundredth of it, and at most a fiftieth of what is free); 0: nothing' -r
complete -c jurex -n "__fish_jurex_using_subcommand free" -l out -d 'Folder for the record and its paper (default: a folder of Jurex\'s own)' -r -F
complete -c jurex -n "__fish_jurex_using_subcommand free" -l by -d 'Who had it done (default: the technician of the configuration)' -r
complete -c jurex -n "__fish_jurex_using_subcommand free" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand free" -l plan -d 'Only say what may be hoped for; nothing is written'
complete -c jurex -n "__fish_jurex_using_subcommand free" -l json -d 'One JSON document instead of text'
complete -c jurex -n "__fish_jurex_using_subcommand free" -l quiet -d 'No progress line'
complete -c jurex -n "__fish_jurex_using_subcommand free" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand where" -l theme -d 'How the interface looks (default: the configuration\'s, else dark)' -r -f -a "dark\t'Light letters on a dark ground'
light\t'Dark letters on a light ground'
mono\t'No colours'"
complete -c jurex -n "__fish_jurex_using_subcommand where" -l demo -d 'The ledger of the demonstration'
complete -c jurex -n "__fish_jurex_using_subcommand where" -l json -d 'One JSON document instead of text'
complete -c jurex -n "__fish_jurex_using_subcommand where" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "demo" -d 'The interface on a simulated bench, to learn and to try'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "drives" -d 'Every drive of this machine, with the guard\'s verdict'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "look" -d 'One drive: identity, contents, ways to sanitize it'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "plan" -d 'What is needed, and which ways of this drive reach it'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "methods" -d 'The library of methods, or one of them'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "erase" -d 'Plan, check, erase, verify, and write record and certificate'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "start-medium" -d 'Write an image that starts a computer into Jurex onto a stick, through the guard and the label check, and add a partition for records'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "unattended" -d 'Erase the drives that a list names, and no others: the list, approved by a person, is the label check'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "unlock" -d 'Take away the password that a broken-off SECURITY ERASE UNIT has left, or end a failure mode; erases nothing'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "certificate" -d 'Write the files of a past job again'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "prove" -d 'Read a drive again by what a record says lies there, or by what you expect; nothing is written to it'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "residue" -d 'Search a drive for what a person could still use; nothing is written to it'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "keys" -d 'The keys that sign records, and those of others that are trusted'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "check" -d 'Whether a record, a signed record or a certificate can be believed, and what it claims'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "ledger" -d 'Past work: found again, told, given out; whether the ledger is as it was written; copies of it'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "schema" -d 'The JSON Schema of what is written'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "notice" -d 'Notices to people who are elsewhere: try them, see which wait'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "lot" -d 'Lots: which drives are expected, what is done, what is missing'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "release" -d 'What becomes of a drive: made ready for its next user, destroyed, put away, handed over; noted in the ledger'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "label" -d 'Labels to stick on drives'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "files" -d 'Erase single files and folders, and look what really became of them on the medium; never a sanitization of the drive'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "free" -d 'Fill the free space of a file system in use, and look what it holds then; never a sanitization of the drive'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "where" -d 'Where a drive is, and what was done to it; without a serial: every drive that somebody must still see to'
complete -c jurex -n "__fish_jurex_using_subcommand help; and not __fish_seen_subcommand_from demo drives look plan methods erase start-medium unattended unlock certificate prove residue keys check ledger schema notice lot release label files free where help" -f -a "help" -d 'Print this message or the help of the given subcommand(s)'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from keys" -f -a "new" -d 'Make a key; it signs from then on'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from keys" -f -a "list" -d 'Every key: which signs, which are retired, which are of others'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from keys" -f -a "show" -d 'One key'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from keys" -f -a "export" -d 'The public key, for others to check with (PEM)'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from keys" -f -a "retire" -d 'A key signs no more, or a certificate is not trusted any more; what was signed before stays signed'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from keys" -f -a "self-signed" -d 'A certificate with its key, to try what PDF readers show of signed papers; an organisation brings one that others vouch for'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from keys" -f -a "trust" -d 'Take in the public key of another bench, or a certificate: what was signed with it is taken for theirs'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from ledger" -f -a "check" -d 'Go through everything that was ever written: what was changed, taken away, put in, or rolled back is named'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from ledger" -f -a "head" -d 'The newest signed head: kept elsewhere, it shows later whether anything before it was touched'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from ledger" -f -a "list" -d 'The newest jobs with what they earned'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from ledger" -f -a "backup" -d 'Copy it into a new file, while jobs run (without what unfinished jobs need to go on: that holds keys)'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from ledger" -f -a "restore" -d 'Put a copy in the ledger\'s place; what was there is kept beside it, and the ledger says so'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from ledger" -f -a "show" -d 'A job\'s whole story: what was done and found, its events, who looked again'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from ledger" -f -a "find" -d 'The newest jobs in which all these words appear'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from ledger" -f -a "export" -d 'Give records out, as CSV, as JSON lines, or each as a signed file'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from notice" -f -a "test" -d 'Send one to try, by every way that the configuration has'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from notice" -f -a "show" -d 'Those that have not gone out, and why'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from notice" -f -a "send" -d 'Try those that are due now'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from lot" -f -a "new" -d 'Open a lot'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from lot" -f -a "import" -d 'Take in a list of expected drives (CSV; columns by name: serial, property number, source, sensitivity, reuse, leaves, destination, notes)'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from lot" -f -a "show" -d 'How a lot stands, or every lot'
complete -c jurex -n "__fish_jurex_using_subcommand help; and __fish_seen_subcommand_from lot" -f -a "close" -d 'Close a lot: nothing is expected any more'
