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
