release-number = version { $number }
release = { $release } de { $name }, publiée le { $day }
ends-soon = note : ses signatures finissent le { $day } ; dis à qui t'a invité qu'il faut la publier à nouveau
unreachable = note : { $address } est injoignable ({ $reason }) ; ce qui y était la dernière fois compte
followed-before = note : jusqu'ici ce jeu suivait { $invite }
nothing-yet = note : il n'y a encore rien de { $game } dans ce dossier
looks-after = note : de ton jeu, cela s'occupe des mods dans { $folders } ; de rien d'autre
looks-after-more = note : de ton jeu, cela s'occupe des mods dans { $folders }, et change ce qui va avec dans { $others } ; rien d'autre
own-folder = le dossier même du jeu
other-version = note : { $what } : { $here } ici, { $there } sur le serveur. Tant que ce n'est pas pareil, tu ne peux pas entrer, quels que soient tes mods
what-game = le jeu
what-loader = le chargeur de ses mods
what-runtime = ce sur quoi tourne le jeu
root-beyond = note : parmi eux est le dossier même du jeu, où sont ses programmes, et pas seulement des dossiers de mods
programs-beyond = note : cela mettrait ou changerait { $programs } hors des dossiers de mods :
programs = { $count ->
    [one] 1 programme ou script
   *[other] { $count } programmes ou scripts
}
beyond-later = note : cela sera demandé à part ; sans terminal il faut --beyond-mods
beyond-nobody = rien n'a été fait, car personne n'a pu être consulté ; si tu fais confiance à ce point à qui t'a invité, ajoute --beyond-mods
interrupted = la dernière fois s'est interrompue après { $done } étapes sur { $all } ; elle est d'abord terminée

key-yes = o
key-no = n
ask-do = Le faire ?
ask-optional = Prendre aussi { $mod } ? On peut jouer sans.
ask-finish = La terminer ?
ask-other = Suivre désormais la nouvelle, et plus l'autre ?
ask-root = Laisser aussi s'occuper de ce dossier ?
ask-trust = Fais-tu confiance à ce point à qui t'a invité ?
ask-anyway = { $error }. Est-ce quand même le dossier du jeu ?

plan = { $game } a besoin de ceci ({ $size } à écrire) :
change-new = nouveau
change-other = changé
change-mended = réparé
change-gone = retiré
change-renamed = renommé
change-kept = gardé
more-mods = { $count ->
    [one] et 1 mod de plus
   *[other] et { $count } mods de plus
}
not-on-server = le serveur ne l'a pas

word-done = fait
word-in-line = à jour
word-still-off = encore à revoir
word-fetched = reçu
done = { $word } : { $game } est à jour avec { $server }
done-partly = { $word } : tout ce qui se peut d'ici
in-line = { $game } est { $word } avec { $server }
still-off = { $word } dans { $game }, et rien à faire d'ici :
take-back = pour revenir en arrière : { $command }
after-update = après la prochaine mise à jour : { $command }
do-this = à faire : { $command }
kept-in = ce qui était là est gardé dans { $folder }
fetched = { $word } : { $size } pour { $files }
fetched-reused = { $size } en morceaux étaient déjà là
files = { $count ->
    [one] 1 fichier
   *[other] { $count } fichiers
}

join-hello = Bonjour ! On t'a invité à jouer, et ceci prépare ton jeu.
join-safe = Rien ne change avant que tu dises oui, et tout peut être annulé.
join-where = Où est ton jeu ? Tape un numéro ou le dossier ; tu peux glisser le dossier dans cette fenêtre. Entrée seule pour quitter.
join-looks-like-it = { $folder } (cela ressemble au jeu)
join-no-folder = Il n'y a pas de dossier { $folder } ici.
join-no-number = Rien ici n'a le numéro { $number }.
join-menu = { $game } est déjà connu. Et maintenant ? Entrée seule pour 1.
join-menu-ready = Le préparer pour entrer
join-menu-undo = Annuler le dernier changement
join-menu-put-back = Remettre ce qui a été mis de côté
join-menu-report = Écrire un fichier pour qui t'aide
join-menu-other = Le jeu est dans un autre dossier
join-menu-leave = Quitter
join-ready = Tu peux entrer. Amuse-toi bien !
join-again = Relance ce programme après une mise à jour du serveur, ou pour annuler ceci.
join-as-known = Ton jeu est comme le serveur le voulait quand on a pu lui demander la dernière fois. Il veut peut-être autre chose maintenant.
join-not-ready = Tu ne peux pas encore entrer. Ce qui manque est au-dessus.
join-nothing-changed = Rien n'a été changé.
join-report = Envoie ce fichier à qui t'aide : { $file }
join-aside = Ceci a été mis de côté. Que veux-tu remettre ? Tape un numéro ; Entrée seule pour quitter.
join-aside-none = Rien n'a été mis de côté ici.
join-aside-taken = Il y a maintenant autre chose à { $path }, et cela reste.
join-put-back = { $path } est remis. Si le serveur ne l'a pas, la prochaine mise à jour le remettra de côté.
join-taken-back = Le dernier changement est annulé.
join-close = Appuie sur Entrée pour fermer cette fenêtre.
