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
backups-gone = { $size } an alten Sicherungen sind weg; die letzten { $count } lassen sich noch zurücknehmen, und was vorher deins war, bleibt aufgehoben
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

reply-why-sure = Darum kamst du nicht hinein:
reply-why-likely = Sehr wahrscheinlich kamst du darum nicht hinein:
reply-not-agreed = Was von beidem richtig ist, ist noch nicht ausgemacht. Ändere nichts: Ich entscheide, und sage es dir dann.
reply-differ = Wo dein Spiel und der Server nur verschieden sind, entscheide ich, was richtig ist, und sage es dir dann.
reply-server-only = Du kamst nicht hinein, und es liegt nicht an dir. Am Server ist etwas zu richten:
reply-server-too = Das liegt am Server, und ich richte es:
reply-wait = Dafür musst du nichts ändern. Versuch es wieder, wenn ich es dir sage.
reply-what-to-do = Was zu tun ist:
reply-close = Beende das Spiel.
reply-run = Öffne im Ordner des Spiels ein Terminal und tippe: { $command }
reply-start = Starte das Spiel und komm wieder herein.
reply-got-in = Das Protokoll des Servers sagt, dass du beim letzten Mal hineinkamst. Ist ein anderer Versuch gescheitert? Dann versuch es noch einmal und sag mir, wann.
reply-unknown = Ich kann noch nicht sagen, warum du nicht hineinkamst.
reply-may-be = Es mag eines davon sein, sicher bin ich nicht:
reply-puts-right = Beende das Spiel, öffne in seinem Ordner ein Terminal und tippe: { $command }
reply-still = Das bringt jeden Mod in Ordnung. Wenn du dann noch nicht hineinkommst:
reply-send = Schick mir bitte:
reply-send-log = das Protokoll des Spiels aus der Zeit deines Versuchs
reply-send-list = eine Liste deiner Mods mit ihren Versionen (ein Bild des Ordners der Mods genügt)
reply-send-words = was das Spiel sagte, Wort für Wort, und wann du es versucht hast
reply-send-file = Wenn du das Programm kanon hast, sagt die Datei mine.json am meisten. Tippe das im Ordner des Spiels, mit dem Regelbuch, das ich dir schicke:
reply-some-missing = { $side ->
    [client] einer der Mods fehlt in deinem Spiel; welcher, steht nirgends
    [server] dem Server fehlt ein Mod; welcher, steht nirgends
   *[none] einer Seite fehlt ein Mod; welcher, steht nirgends
}
reply-some-extra = { $side ->
    [client] dein Spiel hat einen Mod zu viel; welchen, steht nirgends
    [server] der Server hat einen Mod zu viel; welchen, steht nirgends
   *[none] eine Seite hat einen Mod zu viel; welchen, steht nirgends
}
reply-some-other = { $side ->
    [client] einer deiner Mods ist nicht so, wie er sein soll: eine andere Version oder geänderte Dateien; welcher, steht nirgends
    [server] ein Mod des Servers ist nicht so, wie er sein soll: eine andere Version oder geänderte Dateien; welcher, steht nirgends
   *[none] einer der Mods ist nicht auf beiden Seiten gleich: eine andere Version oder geänderte Dateien; welcher, steht nirgends
}
reply-missing = { $side ->
    [client] dir fehlt { $mod }
    [server] dem Server fehlt { $mod }
   *[none] einer Seite fehlt { $mod }
}
reply-extra = { $side ->
    [client] du hast { $mod }, der Server nicht
    [server] der Server hat { $mod }, die andere Seite nicht
   *[none] eine Seite hat { $mod }, die andere nicht
}
reply-off = { $side ->
    [client] bei dir ist { $mod } ausgeschaltet
    [server] auf dem Server ist { $mod } ausgeschaltet
   *[none] auf einer Seite ist { $mod } ausgeschaltet
}
reply-twice = { $side ->
    [client] du hast { $mod } mehrfach
    [server] der Server hat { $mod } mehrfach
   *[none] eine Seite hat { $mod } mehrfach
}
reply-older = { $side ->
    [client] dein { $mod } ist zu alt
    [server] { $mod } auf dem Server ist zu alt
   *[none] { $mod } auf einer Seite ist zu alt
}
reply-newer = { $side ->
    [client] dein { $mod } ist zu neu
    [server] { $mod } auf dem Server ist zu neu
   *[none] { $mod } auf einer Seite ist zu neu
}
reply-other = { $side ->
    [client] dein { $mod } hat eine andere Version
    [server] { $mod } auf dem Server hat eine andere Version
   *[none] { $mod } auf einer Seite hat eine andere Version
}
reply-content = { $side ->
    [client] dein { $mod } wurde verändert: Seine Dateien sind nicht die, die sie sein sollen
    [server] { $mod } auf dem Server wurde verändert: Seine Dateien sind nicht die, die sie sein sollen
   *[none] { $mod } auf einer Seite wurde verändert: Seine Dateien sind nicht die, die sie sein sollen
}
reply-damaged = { $side ->
    [client] dein { $mod } ist beschädigt
    [server] { $mod } auf dem Server ist beschädigt
   *[none] { $mod } auf einer Seite ist beschädigt
}
reply-game = { $side ->
    [client] dein Spiel hat eine andere Version
    [server] das Spiel des Servers hat eine andere Version
   *[none] das Spiel einer Seite hat eine andere Version
}
reply-loader = { $side ->
    [client] was deine Mods lädt, hat eine andere Version
    [server] was die Mods des Servers lädt, hat eine andere Version
   *[none] was die Mods einer Seite lädt, hat eine andere Version
}
reply-runtime = { $side ->
    [client] worauf dein Spiel läuft, hat eine andere Version
    [server] worauf das Spiel des Servers läuft, hat eine andere Version
   *[none] worauf das Spiel einer Seite läuft, hat eine andere Version
}
reply-memory = { $side ->
    [client] dein Spiel hat zu wenig Speicher
    [server] das Spiel des Servers hat zu wenig Speicher
   *[none] das Spiel einer Seite hat zu wenig Speicher
}
reply-is-should = { $what }: es ist { $is } und soll { $should } sein
reply-should = { $what }: es soll { $should } sein
reply-is = { $what }: es ist { $is }
reply-in-game = { $what }, in deinem Spiel
step-list = Vergleiche deine Mods mit der Liste, die ich dir schicke: Einer fehlt.
step-list-versions = Vergleiche deine Mods und ihre Versionen mit der Liste, die ich dir schicke: Einer ist anders.
step-install = Installiere { $mod }.
step-install-at = Installiere { $mod }: Er gehört nach { $place }.
step-install-into = Installiere { $mod }, in den Ordner { $place }.
step-take-out = Nimm { $mod } aus deinem Spiel{ $where }.
step-switch-on = Schalte { $mod } wieder ein{ $where }.
step-replace = Ersetze deinen { $mod } durch Version { $should }{ $where }.
step-get-again = Hole { $mod } noch einmal und lege ihn an die Stelle des deinen{ $where }.
step-game = Bring das Spiel auf Version { $should }.
step-install-version = Installiere { $should }.
step-the-file = { "" } (die Datei { $place })
step-in-folder = { "" } (im Ordner { $place })
kept-ban = Du kamst nicht hinein, weil du auf dem Server gesperrt bist. Mit deinen Mods hat das nichts zu tun. Frag den, der den Server betreibt.
kept-list = Du kamst nicht hinein, weil du nicht auf der Liste derer stehst, die dürfen. Mit deinen Mods hat das nichts zu tun: Ich muss dich eintragen.
kept-full = Du kamst nicht hinein, weil der Server voll war. Mit deinen Mods hat das nichts zu tun. Versuch es wieder, wenn jemand gegangen ist.
kept-password = Du kamst wegen des Passworts nicht hinein. Mit deinen Mods hat das nichts zu tun. Tippe es noch einmal, oder frag mich danach.
kept-account = Du kamst wegen deines Kontos nicht hinein. Mit deinen Mods hat das nichts zu tun. Beende das Spiel, melde dich neu an und versuch es noch einmal.
kept-connection = Die Verbindung zwischen deinem Spiel und dem Server brach ab. Prüfe Adresse und Port, die du getippt hast, und versuch es noch einmal; kommen andere hinein, sieh nach deinem Netz.
page-title = { $name }: was zu installieren ist
page-lead = { $game } mit { $loader }
page-release = Stand { $number }
page-mods = { $count ->
    [one] 1 Mod
   *[other] { $count } Mods
}, { $size }
page-how = So kommst du hinein
page-program-lead = Lass es machen.
page-program = Lade das Programm für dein System und starte es mit einem Doppelklick. Es fragt, wo dein Spiel ist, sagt, was es tun wird, und tut es, wenn du Ja sagst; alles lässt sich zurücknehmen.
page-for = für { $system }
page-trust = Starte dasselbe Programm nach einer Änderung am Server wieder. Der Hersteller deines Systems hat es nicht unterschrieben und fragt vielleicht, ob du ihm traust: Es ist so gut wie dieser Ort.
page-linux = Unter Linux erlaube ihm erst, zu laufen:
page-kanon = Mit Kanon.
page-kanon-or = Oder mit Kanon, wenn du es hast.
page-type = Tippe im Ordner des Spiels:
page-copy = Kopieren
page-copied = Kopiert
page-later = Nach einer Änderung am Server nur: { $follow }. Nicht zufrieden damit: { $undo }.
page-makers = Kanon gibt es bei { $open }denen, die es machen{ $close }.
page-archive-lead = Von Hand, auf einmal.
page-archive = Lade { $open }alle Mods in einem Archiv{ $close } und entpacke es im Ordner des Spiels. Was sonst zu tun ist, steht darin und unten.
page-each-lead = Von Hand, eins nach dem anderen.
page-each = Aus der { $open }Tabelle{ $close }, wie { $steps }die Liste unten{ $close } sagt.
page-code = Die Einladung als QR-Code
page-new = Neu seit Stand { $number }
page-nothing-new = Nichts, was dich betrifft.
news-new = { $mod } { $to } ist neu
news-gone = { $mod } { $from } ist nicht mehr dabei: nimm ihn heraus
news-bytes = { $mod } { $to } hat unter derselben Version einen anderen Inhalt
news-becomes = { $mod } { $from } wird { $to }
page-table = Mods, in ihrer Reihenfolge
page-find = Mod finden
page-found = { $seen } von { $all }
col-number = Nr.
col-mod = Mod
col-version = Version
col-file = Datei oder Ordner
col-where = Wohin damit
col-size = Größe
page-optional = freiwillig
page-needs = braucht { $mods }
page-download = laden
page-bytes = { $count } Bytes
page-digest-one = Prüfsumme
way-folder = Ordner
way-file = Datei
way-files = Dateien nebeneinander
way-overlay = Auflage
way-id = nach Kennung
where-id = das Spiel holt ihn
where-overlay = eingelegt in { $places }
where-and = { " und " }
page-server-alone = Nur der Server hat { $mods }; danach musst du nicht suchen.{ $count ->
   *[other] { "" }
}
page-line = Startzeile
page-line-into = In { $file } oder wo du das Spiel sonst startest, genau so, auch in der Reihenfolge:
page-line-anywhere = Dort, wo du das Spiel startest, genau so, auch in der Reihenfolge:
page-by-hand = Von Hand
hand-close = Beende das Spiel und kopiere seine Ordner mit Mods beiseite, falls du sie zurückhaben willst.
hand-take-out = Nimm aus diesen Ordnern alle Dateien und Ordner, die nicht in der Tabelle oben stehen. { $own }.
hand-own-stay = Eigene Mods dürfen bleiben, wenn sie nur dein eigenes Spiel betreffen; andere Versionen der Mods oben nicht
hand-own-go = Andere Mods sind auf diesem Server nicht willkommen
hand-file = Lege jede Datei an ihren Ort, genau unter dem Namen aus der Tabelle, auch in Groß- und Kleinschreibung. Entpacke sie nicht.
hand-files = Besteht ein Mod aus mehreren Dateien, lege alle nebeneinander an ihren Ort, genau unter den Namen aus seiner Liste.
hand-folder = Lege jeden Ordner an seinen Ort, genau unter dem Namen aus der Tabelle, mit den Dateien seiner Liste und keinen anderen.
hand-overlay = Lege die Teile jeder Auflage in ihr Archiv, in der Reihenfolge der Tabelle.
hand-id = Mods ohne Dateien holt das Spiel selbst, nach ihren Kennungen.
hand-copies = Kopiere diese Dateien von Mods dorthin, wo das Spiel sie sucht:
hand-copy = { $to }, aus { $mod }
hand-entries = Füge diese Einträge in die Datendateien des Spiels ein, jeden einmal:
hand-entry = { $into }: { $keys } aus { $from } von { $mod }, vor { $before }
hand-list = In { $file } ({ $name }) müssen diese Mods eingeschaltet sein:
hand-list-ordered = In { $file } ({ $name }) müssen diese Mods eingeschaltet sein, in dieser Reihenfolge:
hand-settings = Setze diese Werte:
hand-setting = { $file }: { $name } muss { $value } sein (bei { $at })
hand-start = Starte das Spiel und komm herein.
hand-start-line = Starte das Spiel mit der Startzeile oben und komm herein.
page-cant = Du kommst nicht hinein?
page-cant-send = Schick dem, der den Server betreibt, was du hast. Das hier schreibt es auf; die Datei nennt Mods und ihre Dateien und sonst nichts von deinem Rechner:
page-cant-run = Starte es im Ordner des Spiels. Wird dort nichts gefolgt, füge { $option } an, mit { $open }dem Regelbuch{ $close } daneben.
page-cant-sent = Starte es im Ordner des Spiels. Wird dort nichts gefolgt, füge { $option } an, mit dem Regelbuch daneben, das du bekommen hast.
page-digest = Die Zusammenstellung hat die Prüfsumme { $digest }.
page-foot = Diese Seite ist zum Lesen; was { $command } holt, wird an seinen Unterschriften geprüft.
notes-title = { $name }: alle Mods für { $game }
notes-unpack = Entpacke das im Ordner des Spiels und lass es ersetzen, was dort ist. Beende das Spiel vorher.
notes-before = Nimm vorher jeden Mod aus { $folders }, der hier nicht dabei ist: Ein alter neben einem neuen lässt dich nicht hinein.
notes-left = Nicht dabei, und zu haben, wie die Seite es sagt: { $mods }.
notes-list = Eingeschaltet in { $file }:
notes-list-ordered = Eingeschaltet in { $file }, in dieser Reihenfolge:
notes-start = Starte das Spiel mit:
