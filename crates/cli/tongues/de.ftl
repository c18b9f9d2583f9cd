release-number = Stand { $number }
release = { $release } von { $name }, veröffentlicht am { $day }
ends-soon = Hinweis: Seine Unterschriften enden am { $day }; sag es dem, der dich eingeladen hat: er muss neu veröffentlichen
unreachable = Hinweis: { $address } ist nicht zu erreichen ({ $reason }); es zählt, was dort zuletzt stand
followed-before = Hinweis: Bisher folgte dieses Spiel { $invite }
nothing-yet = Hinweis: In diesem Ordner ist noch nichts von { $game }
looks-after = Hinweis: Von deinem Spiel geht es um die Mods in { $folders }, sonst um nichts
looks-after-more = Hinweis: Von deinem Spiel geht es um die Mods in { $folders } und um das, was in { $others } zu ihnen gehört, sonst um nichts
own-folder = der eigene Ordner des Spiels
other-version = Hinweis: { $what }: hier { $here }, auf dem Server { $there }. Solange das nicht gleich ist, kommst du nicht hinein, welche Mods du auch hast
what-game = das Spiel
what-loader = der Lader seiner Mods
what-runtime = worauf das Spiel läuft
root-beyond = Hinweis: Darunter ist der eigene Ordner des Spiels, wo seine Programme liegen, nicht nur Ordner von Mods
programs-beyond = Hinweis: Außerhalb der Ordner von Mods käme hinzu oder würde geändert: { $programs }:
programs = { $count ->
    [one] 1 Programm oder Skript
   *[other] { $count } Programme oder Skripte
}
beyond-later = Hinweis: Danach wird eigens gefragt; ohne Terminal braucht es --beyond-mods
beyond-nobody = Nichts geschah, denn niemand konnte danach gefragt werden; wenn du dem, der dich eingeladen hat, so weit vertraust, füge --beyond-mods an
interrupted = Der letzte Lauf wurde nach { $done } von { $all } Schritten unterbrochen; er wird zuerst beendet

key-yes = j
key-no = n
ask-do = Soll das geschehen?
ask-optional = Auch { $mod } nehmen? Du kannst ohne spielen.
ask-finish = Soll er beendet werden?
ask-other = Von jetzt an dem neuen folgen, und dem alten nicht mehr?
ask-root = Auch diesen Ordner freigeben?
ask-trust = Vertraust du dem, der dich eingeladen hat, so weit?
ask-anyway = { $error }. Ist es trotzdem der Ordner des Spiels?

plan = { $game } braucht das ({ $size } zu schreiben):
change-new = neu
change-other = anders
change-mended = geheilt
change-gone = entfernt
change-renamed = umbenannt
change-kept = bleibt
more-mods = { $count ->
    [one] und 1 Mod mehr
   *[other] und { $count } Mods mehr
}
not-on-server = der Server hat ihn nicht

word-done = fertig
word-in-line = im Einklang
word-still-off = noch falsch
word-fetched = geholt
done = { $word }: { $game } ist im Einklang mit { $server }
done-partly = { $word }: alles, was von hier aus geht
in-line = { $game } ist { $word } mit { $server }
still-off = { $word } in { $game }, und nicht von hier zu heilen:
take-back = zurücknehmen mit: { $command }
after-update = nach der nächsten Änderung: { $command }
do-this = jetzt: { $command }
kept-in = was da war, liegt in { $folder }
fetched = { $word }: { $size } für { $files }
fetched-reused = { $size } an Stücken waren schon hier
files = { $count ->
    [one] 1 Datei
   *[other] { $count } Dateien
}

join-hello = Hallo! Du bist zum Spielen eingeladen, und das hier macht dein Spiel dafür bereit.
join-safe = Nichts wird geändert, bevor du ja sagst, und alles lässt sich zurücknehmen.
join-where = Wo ist dein Spiel? Tippe eine Nummer oder den Ordner; du kannst den Ordner in dieses Fenster ziehen. Nur Enter beendet.
join-looks-like-it = { $folder } (das sieht nach dem Spiel aus)
join-no-folder = Einen Ordner { $folder } gibt es hier nicht.
join-no-number = Nichts hier hat die Nummer { $number }.
join-menu = { $game } ist schon bekannt. Was jetzt? Nur Enter heißt 1.
join-menu-ready = Zum Mitspielen bereit machen
join-menu-undo = Die letzte Änderung zurücknehmen
join-menu-put-back = Etwas zurückholen, das beiseitegelegt wurde
join-menu-report = Eine Datei für den schreiben, der dir hilft
join-menu-other = Das Spiel ist in einem anderen Ordner
join-menu-leave = Beenden
join-ready = Du kannst jetzt mitspielen. Viel Spaß!
join-again = Starte dieses Programm nach einer Änderung des Servers wieder, oder um das hier zurückzunehmen.
join-as-known = Dein Spiel ist so, wie der Server es wollte, als er zuletzt gefragt werden konnte. Vielleicht will er inzwischen etwas anderes.
join-not-ready = Du kannst noch nicht mitspielen. Was fehlt, steht oben.
join-nothing-changed = Nichts wurde geändert.
join-report = Schick diese Datei dem, der dir hilft: { $file }
join-aside = Das wurde beiseitegelegt. Was willst du zurück? Tippe eine Nummer; nur Enter beendet.
join-aside-none = Hier wurde nichts beiseitegelegt.
join-aside-taken = Bei { $path } liegt jetzt etwas anderes, und das bleibt.
join-put-back = { $path } ist wieder da. Hat der Server es nicht, wird es bei der nächsten Änderung wieder beiseitegelegt.
join-taken-back = Die letzte Änderung ist zurückgenommen.
join-close = Enter schließt dieses Fenster.
