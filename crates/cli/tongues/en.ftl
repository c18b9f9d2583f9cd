# What players read of `kanon follow`, and of a program that carries an invite. Each language has the same messages, with the same
# places in them; a test holds them to that.

release-number = release { $number }
release = { $release } of { $name }, published on { $day }
ends-soon = note: its signatures end on { $day }; tell whoever invited you that it must be published anew
unreachable = note: { $address } can't be reached ({ $reason }); what it said the last time counts
followed-before = note: until now this game followed { $invite }
nothing-yet = note: nothing of { $game } is in this folder yet
looks-after = note: of your game it looks after the mods in { $folders }; nothing else
looks-after-more = note: of your game it looks after the mods in { $folders }, and changes what belongs to them in { $others }; nothing else
own-folder = the game's own folder
other-version = note: { $what } is { $here } here and { $there } on the server: until that is the same, you can't join, whatever mods you have
what-game = the game
what-loader = the loader of its mods
what-runtime = what the game runs on
root-beyond = note: among them is the game's own folder, where its programs are, and not only folders of mods
programs-beyond = note: it would put or change { $programs } outside the folders of mods:
programs = { $count ->
    [one] 1 program or script
   *[other] { $count } programs or scripts
}
beyond-later = note: that will be asked about by itself; off a terminal it needs --beyond-mods
beyond-nobody = nothing was done, since nobody could be asked about that; if you trust whoever invited you so far, add --beyond-mods
interrupted = the last run was interrupted after { $done } of { $all } steps; it is finished first

key-yes = y
key-no = n
ask-do = Do this?
ask-optional = Also take { $mod }? You can play without it.
ask-finish = Finish it?
ask-other = Follow the new one from now on, and no longer that?
ask-root = Let it govern that folder too?
ask-trust = Do you trust whoever invited you so far?
ask-anyway = { $error }. Is it the game's folder all the same?

plan = { $game } needs this ({ $size } to write):
change-new = new
change-other = changed
change-mended = mended
change-gone = taken off
change-renamed = renamed
change-kept = kept
more-mods = { $count ->
    [one] and 1 mod more
   *[other] and { $count } mods more
}
not-on-server = the server does not have it

word-done = done
word-in-line = in line
word-still-off = still off
word-fetched = fetched
done = { $word }: { $game } is in line with { $server }
done-partly = { $word }: all that can be done from here
in-line = { $game } is { $word } with { $server }
still-off = { $word } in { $game }, which kanon can't mend:
take-back = take it back with: { $command }
after-update = after the next update: { $command }
do-this = do: { $command }
kept-in = what was there is kept in { $folder }
backups-gone = { $size } of old backups gone; the last { $count } can still be taken back, and what was yours before stays set aside
fetched = { $word }: { $size } for { $files }
fetched-reused = { $size } of pieces were here already
files = { $count ->
    [one] 1 file
   *[other] { $count } files
}

join-hello = Hello! Somebody has invited you to play, and this gets your game ready for it.
join-safe = Nothing is changed before you say yes, and all of it can be taken back.
join-where = Where is your game? Type a number, or the folder; you can drag the folder into this window. Enter alone leaves.
join-looks-like-it = { $folder } (it looks like the game)
join-no-folder = There is no folder { $folder } here.
join-no-number = Nothing here has the number { $number }.
join-menu = { $game } is known already. What now? Enter alone is 1.
join-menu-ready = Get it ready to join
join-menu-undo = Take back what was changed last
join-menu-put-back = Put something back that was set aside
join-menu-report = Write a file for whoever helps you
join-menu-other = The game is in another folder
join-menu-leave = Leave
join-ready = You can join now. Have fun!
join-again = Start this program again after an update of the server, or to take this back.
join-as-known = Your game is as the server wanted it when it could last be asked. It may want something else by now.
join-not-ready = You can't join yet. What is missing stands above.
join-nothing-changed = Nothing was changed.
join-report = Send this file to whoever helps you: { $file }
join-aside = This was set aside. Which one do you want back? Type a number; Enter alone leaves.
join-aside-none = Nothing was set aside here.
join-aside-taken = There is something else at { $path } now, and it stays.
join-put-back = { $path } is back. If the server does not have it, the next update sets it aside again.
join-taken-back = What was changed last is taken back.
join-close = Press Enter to close this window.

reply-why-sure = This is why you could not join:
reply-why-likely = This is most likely why you could not join:
reply-not-agreed = Which of the two is right is not agreed yet. Don't change anything: I decide, and then tell you.
reply-differ = Where your game and the server only differ, I decide which is right, and then tell you.
reply-server-only = You could not join, and it is not your fault. The server is to be mended:
reply-server-too = This is the server's fault, and I mend it:
reply-wait = You need not change anything for that. Try again when I tell you.
reply-what-to-do = What to do:
reply-close = Close the game.
reply-run = Open a terminal in the game's folder, and run: { $command }
reply-start = Start the game, and join again.
reply-got-in = The server's log says that you got in the last time. Is it another try that failed? Then try once more, and tell me when.
reply-unknown = I can't tell yet why you could not join.
reply-may-be = It may be one of these, and I am not sure:
reply-puts-right = Close the game, open a terminal in its folder, and run: { $command }
reply-still = That puts every mod right. If you still can't join:
reply-send = Please send me:
reply-send-log = the game's log from the time of your try
reply-send-list = a list of the mods that you have, with their versions (a picture of the mods' folder will do)
reply-send-words = what the game said, word for word, and when you tried
reply-send-file = If you have the program kanon, the file mine.json tells most. Run this in the game's folder, with the rulebook that I send you:
reply-some-missing = { $side ->
    [client] one of the mods is missing in your game; nothing says which one
    [server] a mod is missing on the server; nothing says which one
   *[none] one side lacks a mod; nothing says which one
}
reply-some-extra = { $side ->
    [client] your game has a mod too many; nothing says which one
    [server] the server has a mod too many; nothing says which one
   *[none] one side has a mod too many; nothing says which one
}
reply-some-other = { $side ->
    [client] one of your mods is not as it should be: another version, or changed files; nothing says which one
    [server] one of the server's mods is not as it should be: another version, or changed files; nothing says which one
   *[none] one of the mods is not the same on both sides: another version, or changed files; nothing says which one
}
reply-missing = { $side ->
    [client] you don't have { $mod }
    [server] the server does not have { $mod }
   *[none] one side does not have { $mod }
}
reply-extra = { $side ->
    [client] you have { $mod }, and the server does not
    [server] the server has { $mod }, and the other side does not
   *[none] one side has { $mod }, and the other side does not
}
reply-off = { $side ->
    [client] your { $mod } is switched off
    [server] the server's { $mod } is switched off
   *[none] one side's { $mod } is switched off
}
reply-twice = { $side ->
    [client] you have { $mod } more than once
    [server] the server has { $mod } more than once
   *[none] one side has { $mod } more than once
}
reply-older = { $side ->
    [client] your { $mod } is too old
    [server] the server's { $mod } is too old
   *[none] one side's { $mod } is too old
}
reply-newer = { $side ->
    [client] your { $mod } is too new
    [server] the server's { $mod } is too new
   *[none] one side's { $mod } is too new
}
reply-other = { $side ->
    [client] your { $mod } has another version
    [server] the server's { $mod } has another version
   *[none] one side's { $mod } has another version
}
reply-content = { $side ->
    [client] your { $mod } was changed: its files are not those that they should be
    [server] the server's { $mod } was changed: its files are not those that they should be
   *[none] one side's { $mod } was changed: its files are not those that they should be
}
reply-damaged = { $side ->
    [client] your { $mod } is damaged
    [server] the server's { $mod } is damaged
   *[none] one side's { $mod } is damaged
}
reply-game = { $side ->
    [client] your game has another version
    [server] the server's game has another version
   *[none] one side's game has another version
}
reply-loader = { $side ->
    [client] what loads your mods has another version
    [server] what loads the server's mods has another version
   *[none] what loads one side's mods has another version
}
reply-runtime = { $side ->
    [client] what your game runs on has another version
    [server] what the server's game runs on has another version
   *[none] what one side's game runs on has another version
}
reply-memory = { $side ->
    [client] your game has too little memory
    [server] the server's game has too little memory
   *[none] one side's game has too little memory
}
reply-is-should = { $what }: it is { $is }, and should be { $should }
reply-should = { $what }: it should be { $should }
reply-is = { $what }: it is { $is }
reply-in-game = { $what }, in your game
step-list = Hold your mods against the list that I send you: one of them is missing.
step-list-versions = Hold your mods and their versions against the list that I send you: one of them is not the same.
step-install = Install { $mod }.
step-install-at = Install { $mod }: it belongs at { $place }.
step-install-into = Install { $mod }, into the folder { $place }.
step-take-out = Take { $mod } out of your game{ $where }.
step-switch-on = Switch { $mod } on again{ $where }.
step-replace = Replace your { $mod } by version { $should }{ $where }.
step-get-again = Get { $mod } again, and put it in the place of yours{ $where }.
step-game = Bring the game to version { $should }.
step-install-version = Install { $should }.
step-the-file = { "" } (the file { $place })
step-in-folder = { "" } (in the folder { $place })
kept-ban = You could not join because you are banned from the server. That has nothing to do with your mods. Ask whoever keeps the server.
kept-list = You could not join because you are not on the list of who may. That has nothing to do with your mods: I have to add you.
kept-full = You could not join because the server was full. Your mods have nothing to do with it. Try again when somebody has left.
kept-password = You could not join because of the password. Your mods have nothing to do with it. Type it once more, or ask me for it.
kept-account = You could not join because of your account. Your mods have nothing to do with it. Close the game, sign in again, and try once more.
kept-connection = The line between your game and the server broke off. Look at the address and the port that you typed, and try once more; if others get in, look at your own network.
page-title = { $name }: what to install
page-lead = { $game } with { $loader }
page-release = Release { $number }
page-mods = { $count ->
    [one] 1 mod
   *[other] { $count } mods
}, { $size }
page-how = How to join
page-program-lead = Let it be done.
page-program = Fetch the program for your system and start it by a double click. It asks where your game is, says what it will do, and does it when you say yes; everything can be taken back.
page-for = for { $system }
page-trust = Start the same program again after an update of the server. It is not signed by the maker of your system, who may ask whether you trust it: it is as good as this place is.
page-linux = On Linux, allow it to run first:
page-kanon = With Kanon.
page-kanon-or = Or with Kanon, if you have it.
page-type = In the game's folder, type this:
page-copy = Copy
page-copied = Copied
page-later = After an update of the server, just: { $follow }. Not happy with it: { $undo }.
page-makers = Kanon comes from { $open }its makers{ $close }.
page-archive-lead = By hand, in one go.
page-archive = Fetch { $open }all mods in one archive{ $close }, and unpack it in the game's folder. What else there is to do stands in it, and below.
page-each-lead = By hand, one by one.
page-each = From the { $open }table{ $close }, as { $steps }the list below{ $close } says.
page-code = The invite as a QR code
page-new = New since release { $number }
page-nothing-new = Nothing that concerns you.
news-new = { $mod } { $to } is new
news-gone = { $mod } { $from } is gone: take it out
news-bytes = { $mod } { $to } has other bytes under the same version
news-becomes = { $mod } { $from } becomes { $to }
page-table = Mods, in their order
page-find = Find a mod
page-found = { $seen } of { $all }
col-number = No.
col-mod = Mod
col-version = Version
col-file = File or folder
col-where = Where it goes
col-size = Size
page-optional = optional
page-needs = needs { $mods }
page-download = download
page-bytes = { $count } bytes
page-digest-one = digest
way-folder = folder
way-file = file
way-files = files side by side
way-overlay = overlay
way-id = by id
where-id = the game fetches it
where-overlay = laid into { $places }
where-and = { " and " }
page-server-alone = The server alone has { $mods }; you need not look for { $count ->
    [one] it
   *[other] them
}.
page-line = Launch line
page-line-into = Into { $file }, or wherever you start the game from, just so, the order included:
page-line-anywhere = Wherever you start the game from, just so, the order included:
page-by-hand = By hand
hand-close = Close the game, and copy its mod folders away, in case you want them back.
hand-take-out = From these folders take out every file and folder that is not in the table above. { $own }.
hand-own-stay = Mods of your own may stay if they concern only your own game; other releases of the mods above may not
hand-own-go = Other mods are not welcome on this server
hand-file = Put each file in its place under just the name that the table says, letter case included. Don't unpack it.
hand-files = Where a mod is several files, put all of them side by side in its place, under just the names that its list shows.
hand-folder = Put each folder in its place under just the name that the table says, with the files that its list shows and no others.
hand-overlay = Lay the members of each overlay into its archive, in the order of the table.
hand-id = Mods without files are fetched by the game itself, by their ids.
hand-copies = Copy these files of mods to where the game looks for them:
hand-copy = { $to }, from { $mod }
hand-entries = Paste these entries into the game's own data files, each once:
hand-entry = { $into }: { $keys } from { $from } of { $mod }, before { $before }
hand-list = In { $file } ({ $name }) these mods must be switched on:
hand-list-ordered = In { $file } ({ $name }) these mods must be switched on, in this order:
hand-settings = Set these values:
hand-setting = { $file }: { $name } must be { $value } (at { $at })
hand-start = Start the game, and join.
hand-start-line = Start the game with the launch line above, and join.
page-cant = You can't join?
page-cant-send = Send whoever runs the server what you have. This writes it down; the file names mods and their files, and nothing else of your machine:
page-cant-run = Run it in the game's folder. If nothing is followed there, add { $option }, with { $open }the rulebook{ $close } beside it.
page-cant-sent = Run it in the game's folder. If nothing is followed there, add { $option }, with the rulebook that you were sent beside it.
page-digest = The set has the digest { $digest }.
page-foot = This page is for reading; what { $command } fetches is verified by its signatures.
notes-title = { $name }: all mods for { $game }
notes-unpack = Unpack this in the game's folder, and let it replace what is there. Close the game first.
notes-before = Before that, take every mod out of { $folders } that is not in here: an older one beside a new one keeps you out.
notes-left = Not in here, and to be had as the page says: { $mods }.
notes-list = Switched on in { $file }:
notes-list-ordered = Switched on in { $file }, in this order:
notes-start = Start the game with:
